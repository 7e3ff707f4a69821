import { gatherDab } from '@judoka/core/operations/paint';
import { needLaidOut } from '../../document/needLaidOut.ts';
import type { WriteTurn } from '../../document/Writer.ts';
import type { BrushMove } from '../../scene/brushMoves.ts';
import { dabGesture } from '../../scene/dabGesture.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Gesture, GestureContext } from '../../scene/gesture.ts';
import type { StageHit } from '../../scene/picking/StageSight.ts';
import { placeOnPlane } from '../../scene/placeOnPlane.ts';
import type { Spot } from '../../scene/spot.ts';
import { falloffOf, type MeshMode } from '../../settings/uiSettings.ts';
import { edgeGesture } from './edgeGesture.ts';
import { MESH_MODES } from './meshModes.ts';
import { takeOutOf } from './meshEdits.ts';
import { type RestMirror, RestRun } from './RestRun.ts';

export type MeshContext = GestureContext<Editing & { readonly mirroring: RestMirror }>;

const BRUSHES: readonly MeshMode[] = ['drag', 'out', 'in', 'even', 'flatten', 'pinch'];

/** Whether a mode is a brush that moves points; the others change edges and points. */
export const isMeshBrush = (mode: MeshMode): mode is BrushMove | 'drag' => BRUSHES.includes(mode);

/** Shapes the mesh at rest from a place on; undefined, and told why, where that cannot be. */
export function meshGesture(
  context: MeshContext,
  hit: StageHit,
  from: Spot,
  event: PointerEvent,
): Gesture | undefined {
  const { at, callbacks } = context;
  const { meshMode } = callbacks.settings();
  try {
    at.document.refuseShown();
    needLaidOut(at.document);
    if (isMeshBrush(meshMode)) return brushGesture(context, hit, from, event, meshMode);
    if (meshMode === 'takeOut') {
      takeOutOf(at, hit.part, [hit.point]).catch(at.document.notifyError);
      return undefined;
    }
    return edgeGesture(context, hit, from, meshMode);
  } catch (error) {
    at.document.notifyError(error);
    return undefined;
  }
}

function brushGesture(
  context: MeshContext,
  hit: StageHit,
  from: Spot,
  event: PointerEvent,
  mode: BrushMove | 'drag',
): Gesture {
  const { at, callbacks } = context;
  const run = new RestRun(at, at.mirroring, mode, callbacks.settings().strength);
  at.document.settle();
  const turn = at.document.writer.begin('Moving points');
  const end = (): void => endRun(context, run, turn, mode);
  return mode === 'drag'
    ? dragGesture(context, run, hit, end)
    : dabGesture(context, run, hit, from, event, end);
}

/** What the brush holds, or the selection if it was taken by one of its points, goes where the pointer goes. */
function dragGesture(
  { at, callbacks, view }: MeshContext,
  run: RestRun,
  hit: StageHit,
  end: () => void,
): Gesture {
  const { selection, parts } = at.scene;
  const { part } = hit;
  if (selection.count > 0 && selection.masks[part.index][hit.point] === 1) {
    for (const [index, points] of selection.points()) {
      parts[index].paint.points.set(points);
      parts[index].paint.amounts.fill(1, 0, points.length);
      run.hold(parts[index], points.length);
    }
  } else {
    const place = {
      ...{ centre: hit.place, radius: callbacks.radius(), falloff: falloffOf(callbacks.settings()) },
      ...{ depth: 'surface' as const, sight: view.sight.directionTo(hit.place) },
    };
    const { positions, normals } = part.skin;
    const surface = {
      positions: positions.slice(),
      normals: normals.slice(),
      neighbours: part.paint.neighbours,
    };
    run.hold(
      part,
      gatherDab(surface, hit.corners, place, part.footprint, part.paint.points, part.paint.amounts),
    );
  }
  return {
    move(spot) {
      const to = placeOnPlane(view, spot, hit.place);
      const [x, y, z] = to.map((each, k) => each - hit.place[k]);
      run.drag([x, y, z]);
    },
    end,
  };
}

function endRun({ at }: MeshContext, run: RestRun, turn: WriteTurn, mode: BrushMove | 'drag'): void {
  turn.end();
  if (run.movedCount === 0) return;
  at.document.setValues(`Mesh: ${MESH_MODES[mode].toLowerCase()}`, run.values());
}
