import { insideLine, projectPoints, seenPoints } from '@judoka/core/operations/select';
import { islandsOfMask, maskOf, type PointMask } from '@judoka/core/mesh';
import type { SelectMode } from '../../scene/Selection.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';
import type { Gesture, GestureContext } from '../../scene/gesture.ts';
import type { Spot } from '../../scene/spot.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Walking } from './Walking.ts';

type SelectContext = GestureContext<Editing & { readonly walking: Walking }>;

/** A press that moves less than this is a click. */
const CLICK_PX = 4;
/** Cells of the picture of depths that says what is seen, along its longer side. */
const PICTURE_CELLS = 640;

/** Shift adds, Alt takes away. */
export function selectMode(event: { shiftKey: boolean; altKey: boolean }): SelectMode {
  if (event.altKey) return 'take';
  return event.shiftKey ? 'add' : 'replace';
}

/**
 * Selects by a box or a freehand line about the points; a click takes the nearest point, a second one
 * at once its island.
 */
export function selectGesture(
  context: SelectContext,
  from: Spot,
  first: PointerEvent,
  isSecond: boolean,
): Gesture {
  const { view, at, callbacks } = context;
  const { selectShape } = callbacks.settings();
  const line: Spot[] = [from];
  const mode = selectMode(first);
  const outline = (): Float32Array => {
    const last = line[line.length - 1];
    const corners =
      selectShape === 'box' ? [from, { x: last.x, y: from.y }, last, { x: from.x, y: last.y }] : line;
    return Float32Array.from(corners.flatMap(({ x, y }) => [x, y]));
  };
  const isClick = (): boolean => line.every(({ x, y }) => Math.hypot(x - from.x, y - from.y) < CLICK_PX);
  return {
    move(at) {
      line.push(at);
      if (!isClick()) view.showOutline(outline());
    },
    end() {
      view.showOutline(undefined);
      if (isClick()) clickAt(context, from, mode, isSecond);
      else at.scene.selection.choose(findInside(context, outline()), mode);
    },
  };
}

function clickAt({ view, at }: SelectContext, { x, y }: Spot, mode: SelectMode, island: boolean): void {
  const hit = view.sight.pick(x, y);
  if (!hit) {
    if (mode === 'replace') at.scene.selection.clear();
    return;
  }
  if (mode === 'replace' && at.walking.goOn(hit.part, hit.point)) return;
  const { index, part, paint } = hit.part;
  const mask = maskOf([hit.point], part.pointCount);
  at.scene.selection.choose(new Map([[index, island ? islandsOfMask(paint.neighbours, mask) : mask]]), mode);
}

/** The points of shown parts that fall inside a line on the canvas: those that are seen, or all, through the surface. */
function findInside({ view, at, callbacks }: SelectContext, line: Float32Array): Map<number, PointMask> {
  const shown = at.scene.parts.filter(({ visible }) => visible);
  const { width, height } = view.stageSize;
  const matrix = view.sight.projection();
  const inside = shown.map(({ skin }) =>
    insideLine(projectPoints({ matrix, width, height }, skin.positions), line),
  );
  if (!callbacks.settings().selectThrough) keepSeen(inside, shown, matrix, width, height);
  return new Map(shown.map(({ index }, i) => [index, inside[i]]));
}

function keepSeen(
  inside: readonly PointMask[],
  shown: readonly ScenePart[],
  matrix: ArrayLike<number>,
  width: number,
  height: number,
): void {
  const scale = PICTURE_CELLS / Math.max(width, height);
  const picture = { matrix, width: Math.ceil(width * scale), height: Math.ceil(height * scale) };
  const seen = seenPoints(
    picture,
    shown.map(({ skin, part }) => ({ positions: skin.positions, triangles: part.triangles })),
  );
  inside.forEach((mask, i) => {
    for (let p = 0; p < mask.length; p++) mask[p] &= seen[i][p];
  });
}

/** Selects what the brush passes over. */
export function selectBrushGesture(context: SelectContext, from: Spot, first: PointerEvent): Gesture {
  const { view, at, callbacks } = context;
  const mode = selectMode(first);
  if (mode === 'replace') at.scene.selection.clear();
  const paint = ({ x, y }: Spot): void => {
    const hit = view.sight.pick(x, y);
    if (!hit) return;
    view.showBrush(hit, callbacks.radius());
    at.scene.selection.choosePoints(
      new Map([[hit.part.index, view.sight.pointsUnder(hit, callbacks.radius())]]),
      mode === 'take' ? 'take' : 'add',
    );
  };
  paint(from);
  return { move: paint, end: () => undefined };
}
