import type { Blemish } from '../../document/blemish.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { weightOf } from '../../weights/rows.ts';
import type { WeightedSurface } from './weightedSurface.ts';

/** Weight changes hands within an edge where both joints' change by this much. */
const JUMP = 0.6;
/** A border is hard where that is so along this share of it, and it has this many edges. */
const HARD_SHARE = 0.7;
const FEWEST_EDGES = 8;
/** Edges longer than this share of the border's radius leave no room to blend. */
const COARSE = 0.45;
/** Where more than this share of all other borders is hard, hard borders are the character's way. */
const WAY_SHARE = 0.3;
/** Joints so many steps apart on one limb bend it together. */
const STEPS = 3;

interface Border {
  readonly part: number;
  readonly joint: number;
  readonly other: number;
  readonly points: Set<number>;
  edges: number;
  hard: number;
  jump: number;
}

/**
 * Borders between joints of one limb where all weight changes hands within an edge, though the mesh has room to blend
 * and the character's other borders do. Where the same border on the other side is as hard, it may be meant.
 *
 * @param surfaces by part; undefined where it is not skinned
 * @param partner  Int32Array, jointCount; -1 for none
 */
export function findHardBorders(
  surfaces: readonly (WeightedSurface | undefined)[],
  skeleton: Skeleton,
  partner: ArrayLike<number>,
): Blemish[] {
  const borders = surfaces.flatMap((surface, part) => (surface ? bordersOf(surface, part, skeleton) : []));
  const count = (of: readonly Border[], key: 'edges' | 'hard'): number =>
    of.reduce((sum, border) => sum + border[key], 0);
  const isHard = ({ hard, edges }: Border): boolean => hard >= HARD_SHARE * edges;
  const [edges, hard] = [count(borders, 'edges'), count(borders, 'hard')];
  return borders
    .filter((border) => {
      if (!isHard(border) || border.hard < FEWEST_EDGES) return false;
      if (hard - border.hard > WAY_SHARE * (edges - border.edges)) return false;
      const across = borders.filter(
        ({ joint, other }) =>
          joint === partner[border.joint] && other === partner[border.other] && joint !== border.joint,
      );
      if (across.length > 0 && across.every(isHard)) return false;
      return hasRoom(surfaces[border.part] as WeightedSurface, border);
    })
    .map(({ part, joint, other, points, jump, hard: count }) => ({
      kind: 'hard',
      part,
      joint,
      other,
      points: Uint32Array.from(points).sort(),
      amount: jump / count,
    }));
}

function bordersOf({ rows, neighbours }: WeightedSurface, part: number, skeleton: Skeleton): Border[] {
  const borders = new Map<string, Border>();
  const { joints, values, stride, pointCount } = rows;
  for (let p = 0; p < pointCount; p++) {
    const a = joints[p * stride];
    if (values[p * stride] === 0) continue;
    for (let e = neighbours.offsets[p]; e < neighbours.offsets[p + 1]; e++) {
      const q = neighbours.points[e];
      const b = joints[q * stride];
      if (q < p || a === b || values[q * stride] === 0) continue;
      const lower = lowerOf(skeleton, a, b);
      if (lower < 0) continue;
      const upper = lower === a ? b : a;
      const key = `${lower} ${upper}`;
      const border: Border = borders.get(key) ?? {
        part,
        joint: lower,
        other: upper,
        points: new Set<number>(),
        edges: 0,
        hard: 0,
        jump: 0,
      };
      borders.set(key, border);
      border.edges++;
      const jump = Math.min(
        weightOf(rows, p, a) - weightOf(rows, q, a),
        weightOf(rows, q, b) - weightOf(rows, p, b),
      );
      if (jump < JUMP) continue;
      border.hard++;
      border.jump += jump;
      border.points.add(p).add(q);
    }
  }
  return [...borders.values()];
}

/** Which of two joints hangs on the other, a few steps below it; -1 where neither does. */
function lowerOf({ joints }: Skeleton, a: number, b: number): number {
  for (const [low, high] of [
    [a, b],
    [b, a],
  ]) {
    let at = low;
    for (let step = 0; step < STEPS && at >= 0; step++) {
      at = joints[at].parent;
      if (at === high) return low;
    }
  }
  return -1;
}

/** Whether edges at a border are short against the limb there. */
function hasRoom({ shape: { positions }, neighbours }: WeightedSurface, { points }: Border): boolean {
  const centre = [0, 0, 0];
  for (const p of points) for (let k = 0; k < 3; k++) centre[k] += positions[p * 3 + k] / points.size;
  let [radius, length, count] = [0, 0, 0];
  for (const p of points) {
    radius += Math.hypot(...centre.map((c, k) => positions[p * 3 + k] - c)) / points.size;
    for (let e = neighbours.offsets[p]; e < neighbours.offsets[p + 1]; e++) {
      const q = neighbours.points[e];
      length += Math.hypot(...centre.map((_, k) => positions[p * 3 + k] - positions[q * 3 + k]));
      count++;
    }
  }
  return count > 0 && length / count < COARSE * radius;
}
