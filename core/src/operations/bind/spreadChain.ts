import type { BoundPositions } from '../../document/space/boundSpace.ts';
import { CoreError } from '../../errors.ts';
import { childrenOf, type Skeleton } from '../../skeleton/skeleton.ts';
import type { Delta } from '../../weights/delta.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { TINY_WEIGHT, type WeightRows } from '../../weights/rows.ts';
import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';

export interface ChainSettings {
  /** How far neighbours reach into one another, in shares of their bones, 0 to 1. */
  readonly overlap: number;
  /** Shares of the chain's length, from its start and from its end, that follow the end joints whole. */
  readonly holdStart: number;
  readonly holdEnd: number;
  /** Borders at even spaces, instead of where the joints stand. */
  readonly even: boolean;
}

export const DEFAULT_CHAIN: ChainSettings = { overlap: 0.8, holdStart: 0, holdEnd: 0, even: false };

/**
 * The chain that chosen joints mean, from above: one joint stands for itself and the only children below it; several
 * for the path from the uppermost to the lowest.
 * @throws CoreError argument-invalid if they do not lie on one path
 */
export function chainOf(skeleton: Skeleton, chosen: readonly number[]): number[] {
  if (chosen.length === 0) throw new CoreError('argument-invalid', 'Choose the joints of a chain first.');
  const children = childrenOf(skeleton);
  if (chosen.length === 1) {
    const chain = [chosen[0]];
    while (children[chain[chain.length - 1]].length === 1) chain.push(children[chain[chain.length - 1]][0]);
    return chain;
  }
  const wanted = new Set(chosen);
  for (const last of chosen) {
    const path: number[] = [];
    let left = wanted.size;
    for (let joint = last; joint >= 0 && left > 0; joint = skeleton.joints[joint].parent) {
      path.push(joint);
      if (wanted.has(joint)) left--;
    }
    if (left === 0) return path.reverse();
  }
  throw new CoreError(
    'argument-invalid',
    'These joints do not hang one below another. Choose the first and the last joint of a chain.',
  );
}

/** Lengths along a chain where its joints stand, from 0, and then where its last bone ends. */
interface Course {
  readonly places: readonly (readonly [number, number, number])[];
  readonly lengths: readonly number[];
}

/**
 * Spreads a surface along a chain of joints by arc length: every point follows the joint whose stretch of the chain it
 * lies along, and its neighbour near the border between them, so that a bend is shared evenly.
 *
 * @param positions Float32Array, 3·pointCount, in the space of `places`
 * @param places    Float32Array, 3·jointCount: the joints at rest
 * @param points    rising
 * @throws CoreError argument-invalid for a chain without length, or numbers out of range
 */
export function spreadChain(
  part: number,
  rows: WeightRows,
  neighbours: Neighbours,
  positions: BoundPositions,
  points: Uint32Array,
  chain: readonly number[],
  places: Float32Array,
  settings: ChainSettings,
  rules: RewriteRules,
): Delta {
  checkSettings(settings);
  const course = layCourse(chain, places);
  const along = lengthsAlong(positions, points, neighbours, course);
  const starts = borders(course, settings);
  const total = course.lengths[course.lengths.length - 1];
  const { holdStart, holdEnd, overlap } = settings;
  const from = holdStart * total;
  const stretch = total / Math.max(1e-9, 1 - holdStart - holdEnd);
  let at = 0;
  const { delta } = rewritePoints(part, rows, points, rules, (_point, c) => {
    const own = along[at++];
    const s = chain.length === 1 ? 0 : ((own - from) * stretch) / total;
    let before = 1;
    for (let i = 0; i < chain.length; i++) {
      const next = i + 1 < chain.length ? passed(s, starts, i + 1, overlap) : 0;
      const weight = before - next;
      before = next;
      if (weight < TINY_WEIGHT) continue;
      c.joints[c.count] = chain[i];
      c.values[c.count++] = weight;
    }
  });
  return delta;
}

function checkSettings({ overlap, holdStart, holdEnd }: ChainSettings): void {
  if (![overlap, holdStart, holdEnd].every((share) => share >= 0 && share <= 1))
    throw new CoreError('argument-invalid', 'Overlap and held ends are shares from 0 to 1.');
  if (holdStart + holdEnd > 0.98)
    throw new CoreError('argument-invalid', 'The held ends leave nothing of the chain to bend.');
}

function layCourse(chain: readonly number[], places: Float32Array): Course {
  const at = (joint: number): [number, number, number] => [
    places[joint * 3],
    places[joint * 3 + 1],
    places[joint * 3 + 2],
  ];
  const course = chain.map(at);
  if (course.length > 1) {
    // The last joint has a bone of its own, on from the one before.
    const [a, b] = course.slice(-2);
    course.push([2 * b[0] - a[0], 2 * b[1] - a[1], 2 * b[2] - a[2]]);
  }
  const lengths = [0];
  for (let i = 1; i < course.length; i++)
    lengths.push(lengths[i - 1] + Math.hypot(...course[i].map((x, k) => x - course[i - 1][k])));
  if (chain.length > 1 && !(lengths[lengths.length - 1] > 0))
    throw new CoreError('argument-invalid', 'The joints of this chain stand in one place. Place them first.');
  return { places: course, lengths };
}

/** Where each joint's stretch begins along the chain. */
function borders({ lengths }: Course, { even }: ChainSettings): number[] {
  const total = lengths[lengths.length - 1];
  return even ? lengths.map((_, i) => (total * i) / Math.max(1, lengths.length - 1)) : [...lengths];
}

/** How far a length along the chain has passed border `i`: 0 before it, 1 behind it, level at both ends. */
function passed(s: number, starts: readonly number[], i: number, overlap: number): number {
  const [before, own, after] = [starts[i - 1], starts[i], starts[i + 1] ?? starts[i]];
  const half = Math.max(1e-9, (overlap / 2) * Math.min(own - before, after - own || own - before));
  const t = Math.max(0, Math.min(1, (s - own) / (2 * half) + 0.5));
  return t * t * (3 - 2 * t);
}

const EASING_PASSES = 6;

/** How far along the chain each point lies: its nearest place on it, then eased over the surface where the chain bends. */
function lengthsAlong(
  positions: Float32Array,
  points: Uint32Array,
  { offsets, points: near }: Neighbours,
  course: Course,
): Float64Array {
  const slotOf = new Map<number, number>();
  points.forEach((p, i) => slotOf.set(p, i));
  let along = Float64Array.from(points, (p) =>
    nearestAlong(course, positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]),
  );
  for (let pass = 0; pass < EASING_PASSES; pass++) {
    const eased = along.slice();
    points.forEach((p, i) => {
      let sum = 0;
      let count = 0;
      for (let e = offsets[p]; e < offsets[p + 1]; e++) {
        const slot = slotOf.get(near[e]);
        if (slot === undefined) continue;
        sum += along[slot];
        count++;
      }
      // On an open end the mean would pull inward; such points have fewer neighbours on one side, and keep their own.
      if (count === offsets[p + 1] - offsets[p] && count > 0) eased[i] = 0.5 * along[i] + (0.5 * sum) / count;
    });
    along = eased;
  }
  return along;
}

function nearestAlong({ places, lengths }: Course, x: number, y: number, z: number): number {
  let least = Infinity;
  let best = 0;
  for (let i = 0; i + 1 < places.length; i++) {
    const [a, b] = [places[i], places[i + 1]];
    const [dx, dy, dz] = [b[0] - a[0], b[1] - a[1], b[2] - a[2]];
    const squared = dx * dx + dy * dy + dz * dz;
    if (squared === 0) continue;
    let t = ((x - a[0]) * dx + (y - a[1]) * dy + (z - a[2]) * dz) / squared;
    // Beyond its ends the chain goes on straight: what lies there is told apart, not heaped up.
    const low = i === 0 ? -Infinity : 0;
    const high = i + 2 === places.length ? Infinity : 1;
    t = Math.max(low, Math.min(high, t));
    const far = Math.hypot(x - a[0] - dx * t, y - a[1] - dy * t, z - a[2] - dz * t);
    if (far >= least) continue;
    least = far;
    best = lengths[i] + t * (lengths[i + 1] - lengths[i]);
  }
  return best;
}
