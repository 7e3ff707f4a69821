import { gatherDab } from '@judoka/core/operations/paint';
import type { WriteTurn } from '../../document/Writer.ts';
import { dabGesture } from '../../scene/dabGesture.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Gesture, GestureContext } from '../../scene/gesture.ts';
import type { StageHit } from '../../scene/picking/StageSight.ts';
import { refuseFixed } from '../../scene/refuseFixed.ts';
import { placeOnPlane } from '../../scene/placeOnPlane.ts';
import type { Spot } from '../../scene/spot.ts';
import { falloffOf, type ShapeMode } from '../../settings/uiSettings.ts';
import { costWords } from '../../ui/lengthWords.ts';
import { type ShapeMirror, ShapeRun } from './ShapeRun.ts';

type ShapeContext = GestureContext<Editing & { readonly mirroring: ShapeMirror }>;

export const SHAPE_MODES: Readonly<Record<ShapeMode, string>> = {
  drag: 'Drag',
  out: 'Out',
  in: 'In',
  even: 'Even',
  pinch: 'Pinch',
};
/** What weights may leave of the way without a word. */
const TOLD = 0.25;

/** Shapes the bent surface from a place on; undefined, and told why, where that cannot be. */
export function shapeGesture(
  context: ShapeContext,
  hit: StageHit,
  from: Spot,
  event: PointerEvent,
): Gesture | undefined {
  const { at, callbacks } = context;
  const { shapeMode: mode, shapeOthers, strength, limit } = callbacks.settings();
  if (Object.keys(at.scene.pose).length === 0 || at.scene.showsRest) {
    at.document.notify('Bend the character first: at rest, weights move nothing.');
    return undefined;
  }
  if (refuseFixed(at, hit.part)) return undefined;
  let run: ShapeRun;
  let turn: WriteTurn;
  try {
    at.document.refuseShown();
    run = new ShapeRun(at, at.mirroring, { mode, strength, limit, others: shapeOthers });
    at.document.settle();
    turn = at.document.writer.begin('Shaping');
  } catch (error) {
    at.document.notifyError(error);
    return undefined;
  }
  const end = (): void => {
    context.view.showTether(undefined);
    endShaping(context, run, turn, `Shape: ${SHAPE_MODES[mode].toLowerCase()}`);
  };
  return mode === 'drag'
    ? dragGesture(context, run, hit, end)
    : dabGesture(context, run, hit, from, event, end);
}

/** What the brush holds, or the selection if it was taken by one of its points, goes where the pointer goes. */
function dragGesture(context: ShapeContext, run: ShapeRun, hit: StageHit, end: () => void): Gesture {
  const { at, callbacks, view } = context;
  const { selection } = at.scene;
  const { index, skin } = hit.part;
  if (selection.count > 0 && selection.masks[index][hit.point] === 1) holdSelection(at, run);
  else {
    const settings = callbacks.settings();
    const { part } = hit;
    const place = {
      ...{ centre: hit.place, radius: callbacks.radius(), falloff: falloffOf(settings) },
      ...{ depth: 'surface' as const, sight: view.sight.directionTo(hit.place) },
    };
    const { positions, normals } = skin;
    const surface = { positions, normals, neighbours: part.paint.neighbours };
    const { points, amounts } = part.paint;
    run.hold(part, gatherDab(surface, hit.corners, place, part.footprint, points, amounts));
  }
  const start = [0, 1, 2].map((k) => skin.positions[hit.point * 3 + k]);
  return {
    move(spot) {
      const to = placeOnPlane(view, spot, hit.place);
      const [x, y, z] = to.map((x, k) => x - hit.place[k]);
      run.drag([x, y, z]);
      // From where the surface has come to where the hand wants it.
      const now = [0, 1, 2].map((k) => skin.positions[hit.point * 3 + k]);
      const wanted = start.map((own, k) => own + [x, y, z][k]);
      view.showTether([now[0], now[1], now[2], wanted[0], wanted[1], wanted[2]]);
    },
    end,
  };
}

function holdSelection({ scene }: Editing, run: ShapeRun): void {
  for (const [index, points] of scene.selection.points()) {
    const { paint } = scene.parts[index];
    paint.points.set(points);
    paint.amounts.fill(1, 0, points.length);
    run.hold(scene.parts[index], points.length);
  }
}

function endShaping({ at }: ShapeContext, run: ShapeRun, turn: WriteTurn, label: string): void {
  const { document } = at;
  const { change, report } = run.finish();
  document.events.publish('weights');
  document.commit(label, { weights: change });
  turn.end();
  const { asked, left } = report;
  if (asked > 0 && left > TOLD * asked)
    document.notify(
      `Weights go ${Math.round(100 * Math.max(0, 1 - left / asked))}% of the way; ${costWords(left, document.size)} are left in the mean. ` +
        'No joint near there carries the surface further in this bend.',
    );
}
