import { type EdgePlace, FaceMap, MIN_SHARE, quadRing, type QuadRing } from '@judoka/core/operations/mesh';
import type { Gesture, GestureContext } from '../../scene/gesture.ts';
import type { StageHit } from '../../scene/picking/StageSight.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';
import type { Spot } from '../../scene/spot.ts';
import type { MeshMode } from '../../settings/uiSettings.ts';
import { putLoop, putPoint, turnOne } from './meshEdits.ts';

export type EdgeMode = Extract<MeshMode, 'loop' | 'point' | 'turn'>;

/** An edge under the pointer, and where on it that is. */
interface MetEdge extends EdgePlace {
  readonly part: ScenePart;
}

/** Faces by part, as it is laid out: found when edges of it are first asked for. */
const facesOf = new WeakMap<ScenePart, FaceMap>();

function facesOn(part: ScenePart): FaceMap {
  const known = facesOf.get(part);
  if (known) return known;
  const made = new FaceMap(part.part);
  facesOf.set(part, made);
  return made;
}

/** The edge of the face under a place that is nearest to it on the stage. */
export function edgeAt(
  { view }: Pick<GestureContext, 'view'>,
  { part, corners }: StageHit,
  spot: Spot,
): MetEdge | undefined {
  const faces = facesOn(part);
  const under = faces
    .about(corners[0])
    .filter((id) => [...corners].every((p) => faces.pointsOf(id).includes(p)));
  let best: MetEdge | undefined;
  let least = Infinity;
  for (const id of under) {
    const points = faces.pointsOf(id);
    points.forEach((a, i) => {
      const b = points[(i + 1) % points.length];
      const [from, to] = [view.sight.spotOfPoint(part.index, a), view.sight.spotOfPoint(part.index, b)];
      if (!from || !to) return;
      const share = shareAlong(from, to, spot);
      const far = Math.hypot(
        from.x + share * (to.x - from.x) - spot.x,
        from.y + share * (to.y - from.y) - spot.y,
      );
      if (far < least) [best, least] = [{ part, a, b, share }, far];
    });
  }
  return best;
}

/** How far from one spot to another a third one is, 0..1. */
function shareAlong(from: Spot, to: Spot, { x, y }: Spot): number {
  const [dx, dy] = [to.x - from.x, to.y - from.y];
  const length = dx * dx + dy * dy;
  return length > 0 ? Math.max(0, Math.min(1, ((x - from.x) * dx + (y - from.y) * dy) / length)) : 0.5;
}

const within = (share: number): number => Math.max(MIN_SHARE, Math.min(1 - MIN_SHARE, share));

/** Shows what a press would do at an edge; nothing for undefined. @returns what it is, in words */
export function showEdge(
  { view }: Pick<GestureContext, 'view'>,
  met: MetEdge | undefined,
  mode: EdgeMode,
): string {
  if (!met) {
    view.showTether(undefined);
    return '';
  }
  const { part, a, b, share } = met;
  const { positions } = part.skin;
  const at = (p: number, q: number, t: number): number[] =>
    [0, 1, 2].map((k) => (1 - t) * positions[p * 3 + k] + t * positions[q * 3 + k]);
  const percent = `${Math.round(100 * within(share))}%`;
  if (mode !== 'loop') {
    view.showTether([...at(a, b, 0), ...at(a, b, mode === 'turn' ? 1 : within(share))]);
    return mode === 'turn' ? '' : percent;
  }
  const ring = quadRing(facesOn(part), a, b);
  const line = ring.rungs.map(([p, q]) => at(p, q, within(share)));
  // The line is drawn closed: one that is not goes back the way it came.
  view.showTether([...line, ...(ring.isClosed ? [] : line.slice(1, -1).reverse())].flat());
  return ringWords(ring, percent);
}

function ringWords({ rungs, isClosed, crosses }: QuadRing, percent: string): string {
  if (crosses) return 'The row of quads crosses itself';
  return `${percent}, ${rungs.length} points${isClosed ? ', closed' : ''}`;
}

/** A press on an edge: sliding along it says where, letting go does it. */
export function edgeGesture(
  context: GestureContext,
  hit: StageHit,
  from: Spot,
  mode: EdgeMode,
): Gesture | undefined {
  const { view, at, callbacks } = context;
  let met = edgeAt(context, hit, from);
  if (!met) return undefined;
  const show = (): void => callbacks.saying(showEdge(context, met, mode));
  callbacks.hover(undefined);
  show();
  return {
    move(spot, { shiftKey }) {
      if (!met) return;
      const [a, b] = [met.a, met.b].map((p) => view.sight.spotOfPoint(hit.part.index, p));
      if (a && b) met = { ...met, share: shiftKey ? 0.5 : shareAlong(a, b, spot) };
      show();
    },
    end(_, { shiftKey }) {
      callbacks.saying('');
      showEdge(context, undefined, mode);
      if (!met) return;
      const place = { ...met, share: shiftKey ? 0.5 : within(met.share) };
      const done = mode === 'loop' ? putLoop : mode === 'point' ? putPoint : turnOne;
      done(at, hit.part, place).catch(at.document.notifyError);
    },
  };
}
