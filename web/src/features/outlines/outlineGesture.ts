import type { OutlineCut } from '@judoka/core/drawing';
import { falloffAt } from '@judoka/core/math';
import { nearestCut } from '@judoka/core/operations/outline';
import type { WriteTurn } from '../../document/Writer.ts';
import type { Gesture, GestureContext } from '../../scene/gesture.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';
import type { SelectMode } from '../../scene/Selection.ts';
import type { Spot } from '../../scene/spot.ts';
import { addPoint, movePoints, takeOut } from './outlineEdits.ts';

/** How near, in pixels, a press comes to a point or to an outline to mean it. */
const POINT_PX = 9;
const OUTLINE_PX = 8;
/** A press that moves less than this, in pixels, is a click. */
const CLICK_PX = 3;
/** Corners of the mark where a point would be added, and how far they are from it, in pixels. */
const MARK_CORNERS = 4;
const MARK_PX = 6;

/** A place on an outline under the pointer. */
interface MetOutline {
  readonly part: ScenePart;
  readonly cut: OutlineCut;
}

/**
 * On a point: drags it; a click selects it, and with Shift takes it out. On an outline: a click adds a point there.
 * @returns undefined where there is neither
 */
export function outlineGesture(
  context: GestureContext,
  from: Spot,
  { shiftKey, ctrlKey }: PointerEvent,
): Gesture | undefined {
  const { at } = context;
  const met = pointAt(context, from);
  if (met && shiftKey) return clickGesture(from, () => takeOut(at, anchorOf(met)), at.document.notifyError);
  if (met) return dragGesture(context, met, from, ctrlKey ? 'add' : 'replace');
  const outline = outlineAt(context, from);
  if (!outline) return undefined;
  const { part, cut } = outline;
  showCutAt(context, undefined);
  return clickGesture(from, () => addPoint(at, part.index, cut), at.document.notifyError);
}

/** Marks the place on an outline where a press would add a point; none for undefined. */
export function showCutAt(context: GestureContext, spot: Spot | undefined): void {
  const { view } = context;
  const isOver = spot !== undefined && !pointAt(context, spot) && outlineAt(context, spot) !== undefined;
  if (!isOver) {
    view.showOutline(undefined);
    return;
  }
  const mark = Array.from({ length: MARK_CORNERS }, (_, k) => {
    const angle = (2 * Math.PI * k) / MARK_CORNERS;
    return [spot.x + MARK_PX * Math.cos(angle), spot.y + MARK_PX * Math.sin(angle)];
  });
  view.showOutline(Float32Array.from(mark.flat()));
}

function clickGesture(from: Spot, click: () => Promise<unknown>, failed: (error: unknown) => void): Gesture {
  return {
    move: () => undefined,
    end(spot) {
      if (Math.hypot(spot.x - from.x, spot.y - from.y) > CLICK_PX) return;
      try {
        click().catch(failed);
      } catch (error) {
        failed(error);
      }
    },
  };
}

interface MetPoint {
  readonly part: ScenePart;
  readonly point: number;
}

/** The point of a shown layer that is nearest to a place, if one is near; the front one of equals, anchors before handles. */
function pointAt({ view, at }: GestureContext, spot: Spot): MetPoint | undefined {
  let best: MetPoint | undefined;
  let least = POINT_PX;
  for (const part of at.scene.parts) {
    const { anchors, hidden } = part;
    if (!part.visible || !anchors) continue;
    for (let p = 0; p < part.part.pointCount; p++) {
      if (anchors[p] !== p && !view.showsHandles) continue;
      const on = !hidden?.[p] ? view.sight.spotOfPoint(part.index, p) : undefined;
      if (!on) continue;
      const distance = Math.hypot(on.x - spot.x, on.y - spot.y) + (anchors[p] === p ? 0 : 1);
      if (distance <= least) [best, least] = [{ part, point: p }, distance];
    }
  }
  return best;
}

/** The outline under a place, of the layer that lies in front there. */
function outlineAt({ view, at }: GestureContext, spot: Spot): MetOutline | undefined {
  const place = view.sight.middleOfBody(spot.x, spot.y);
  const beside = view.sight.middleOfBody(spot.x + OUTLINE_PX, spot.y);
  const { drawing } = at.document.character;
  if (!place || !beside || !drawing) return undefined;
  const { layerOrder } = at.scene;
  const front = view.sight.pick(spot.x, spot.y)?.part.index ?? layerOrder[0];
  let best: MetOutline | undefined;
  let least = Math.abs(beside[0] - place[0]);
  for (const part of at.scene.parts) {
    if (!part.visible || layerOrder.indexOf(part.index) < layerOrder.indexOf(front)) continue;
    const met = nearestCut(
      drawing.layers[part.index],
      part.part,
      part.part.positions,
      place[0] - at.scene.asideOf(part.index),
      place[1],
      least,
    );
    if (met) [best, least] = [{ part, cut: met.cut }, met.distance];
  }
  return best;
}

const anchorOf = ({ part, point }: MetPoint): ReadonlyMap<number, readonly number[]> =>
  new Map([[part.index, [part.anchors?.[point] ?? point]]]);

/** Moves a point at rest, or selects it where it is only clicked; an anchor takes its handles along, a selected point the others that are selected. */
function dragGesture(
  context: GestureContext,
  met: MetPoint,
  from: Spot,
  mode: SelectMode,
): Gesture | undefined {
  const { view, at, callbacks } = context;
  const start = view.sight.middleOfBody(from.x, from.y);
  if (!start) return undefined;
  let turn: WriteTurn;
  try {
    turn = at.document.writer.begin('A drag of points');
  } catch (error) {
    at.document.notifyError(error);
    return undefined;
  }
  const { part } = met;
  const shares = sharesOf(context, met);
  let isMoved = false;
  const places = new Map<number, readonly [number, number]>();
  return {
    move(spot) {
      const to = view.sight.middleOfBody(spot.x, spot.y);
      if (!to || (!isMoved && Math.hypot(spot.x - from.x, spot.y - from.y) <= CLICK_PX)) return;
      isMoved = true;
      callbacks.hover(undefined);
      const [dx, dy] = [to[0] - start[0], to[1] - start[1]];
      const { positions } = part.part;
      for (const [p, share] of shares) {
        const place = [positions[p * 3] + share * dx, positions[p * 3 + 1] + share * dy] as const;
        places.set(p, place);
        part.skin.rest.set(place, p * 3);
      }
      at.scene.restMoved(part);
      callbacks.saying(`${dx.toPrecision(3)}, ${dy.toPrecision(3)}`);
    },
    end() {
      callbacks.saying('');
      turn.end();
      if (!isMoved) at.scene.selection.choosePoints(new Map([[part.index, Uint32Array.of(met.point)]]), mode);
      else movePoints(at, new Map([[part.index, places]])).catch(at.document.notifyError);
    },
  };
}

/** By point, how much of the drag it takes part in. */
function sharesOf({ at, callbacks }: GestureContext, { part, point }: MetPoint): Map<number, number> {
  const shares = new Map<number, number>();
  const { pointCount, positions } = part.part;
  const { anchors } = part;
  const selected = at.scene.selection.masks[part.index];
  const held = selected[point] ? [...selected.keys()].filter((p) => selected[p]) : [point];
  if (callbacks.settings().shapeSoftly) {
    const radius = callbacks.radius();
    for (let p = 0; p < pointCount; p++) {
      const far = Math.min(
        ...held.map((q) =>
          Math.hypot(positions[p * 3] - positions[q * 3], positions[p * 3 + 1] - positions[q * 3 + 1]),
        ),
      );
      const share = falloffAt('smooth', far / radius);
      if (share > 0) shares.set(p, share);
    }
  }
  for (const own of held) shares.set(own, 1);
  // A handle that is not dragged itself goes where its anchor goes.
  anchors?.forEach((anchor, p) => {
    if (anchor !== p && shares.has(anchor) && !held.includes(p)) shares.set(p, shares.get(anchor) ?? 0);
  });
  return shares;
}
