import type { Neighbours } from '../../mesh/neighbours.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { shareOf } from './shareOf.ts';

/** Where else a joint should stand, so that its bend would be better with the very same weights. */
export interface BetterPlace {
  /** From where it stands, scene space. */
  readonly offset: readonly [number, number, number];
  /** The damage that would be left, as a share of what there is. */
  readonly leaves: number;
}

/** How far apart the rings of points are about a bend that has too few of them. */
export interface ScarceRings {
  readonly every: number;
  /** How far the surface is from the joint there. */
  readonly radius: number;
  readonly part: number;
  /** Those about the bend. */
  readonly points: Uint32Array;
}

/** Why weights alone do not cure a bend. */
export interface BendLacks {
  readonly joint: number;
  readonly place?: BetterPlace;
  readonly rings?: ScarceRings;
}

/** A joint's place is changed by shares of how thick its surface is, ever smaller ones. */
const STEPS = [0.5, 0.25, 0.125];
/** Less than this is not worth moving a joint. */
const WORTH = 0.8;
/** A way as long as the surface is thick has to take this share of the damage away, so that both sides get the same advice. */
const FAR_IS_DEAR = 0.4;
/** Rings may be so far apart, in how far the surface is from the joint. */
const FAR_APART = 0.6;
/** An edge runs along a limb if no more than this turns off. */
const ALONG = 0.7;

/**
 * Looks for a place at which the joint's bend is least bad.
 * @param radius   how far the surface is from it
 * @param damageAt the damage with the joint off by so much, scene space
 */
export function findBetterPlace(
  radius: number,
  damageAt: (offset: readonly [number, number, number]) => number,
): BetterPlace | undefined {
  const now = damageAt([0, 0, 0]);
  const score = (offset: readonly number[], leaves: number): number =>
    leaves + (FAR_IS_DEAR * Math.hypot(...offset)) / radius;
  let best: BetterPlace = { offset: [0, 0, 0], leaves: 1 };
  for (const step of STEPS) {
    const from = best.offset;
    for (let axis = 0; axis < 3; axis++)
      for (const way of [-1, 1]) {
        const offset: [number, number, number] = [...from];
        offset[axis] += way * step * radius;
        const leaves = damageAt(offset) / now;
        if (score(offset, leaves) < score(best.offset, best.leaves)) best = { offset, leaves };
      }
  }
  return best.leaves < WORTH ? best : undefined;
}

export interface LimbSurface {
  readonly part: number;
  /** Float32Array, 3 a point, scene space. */
  readonly rest: Float32Array;
  readonly neighbours: Neighbours;
  readonly rows: WeightRows;
}

/**
 * Whether points lie too far apart along a limb to bend it.
 * @param points of the bend
 * @param joint  where the joint stands, scene space
 * @param radius how far the surface is from it
 * @param moves  by joint: 1 for those that turn along
 */
export function findScarceRings(
  { part, rest, neighbours, rows }: LimbSurface,
  points: Uint32Array,
  joint: ArrayLike<number>,
  radius: number,
  moves: Uint8Array,
): ScarceRings | undefined {
  const near = points.filter((p) => far(rest, p, joint) < 1.5 * radius);
  const axis = [0, 0, 0];
  const edges: (readonly [number, number, number])[] = [];
  for (const p of near)
    for (let n = neighbours.offsets[p]; n < neighbours.offsets[p + 1]; n++) {
      const q = neighbours.points[n];
      const edge = [0, 1, 2].map((k) => rest[q * 3 + k] - rest[p * 3 + k]) as [number, number, number];
      const rise = shareOf(rows, q, moves) - shareOf(rows, p, moves);
      for (let k = 0; k < 3; k++) axis[k] += rise * edge[k];
      edges.push(edge);
    }
  const length = Math.hypot(...axis);
  if (!(length > 0)) return undefined;
  let [sum, along] = [0, 0];
  for (const edge of edges) {
    const own = Math.hypot(...edge);
    const by = Math.abs(edge[0] * axis[0] + edge[1] * axis[1] + edge[2] * axis[2]) / length;
    if (!(by > ALONG * own)) continue;
    sum += by * by;
    along += by;
  }
  // The longer an edge, the more of the limb has it.
  const every = along > 0 ? sum / along : 0;
  return every > FAR_APART * radius ? { every, radius, part, points: near } : undefined;
}

function far(rest: Float32Array, p: number, place: ArrayLike<number>): number {
  return Math.hypot(rest[p * 3] - place[0], rest[p * 3 + 1] - place[1], rest[p * 3 + 2] - place[2]);
}
