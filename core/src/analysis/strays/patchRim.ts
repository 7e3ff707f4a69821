import type { Neighbours } from '../../mesh/neighbours.ts';
import type { WeightRows } from '../../weights/rows.ts';

/** A patch of a joint's weight on a part. */
export interface PatchPlace {
  readonly rows: WeightRows;
  readonly neighbours: Neighbours;
  readonly points: readonly number[];
  readonly joint: number;
  /** Whether a slot of the rows counts; what strays itself does not. */
  readonly counts: (node: number) => boolean;
}

/** Joints count as being there from this share of the most that any other has. */
const RULER_SHARE = 0.1;
/** A point with less than this of others' weight says nothing about what it was before. */
const MIN_RESIDUE = 0.02;

/** The joints, other than its own, that rule in and next to a patch. */
export function rulersAround(place: PatchPlace): number[] {
  const { points, neighbours, joint, rows, counts } = place;
  const { offsets, points: linked } = neighbours;
  const { joints, values, stride } = rows;
  const around = new Set(points);
  for (const p of points) for (let e = offsets[p]; e < offsets[p + 1]; e++) around.add(linked[e]);
  const shares = new Map<number, number>();
  for (const p of around) {
    for (let node = p * stride; node < (p + 1) * stride && values[node] !== 0; node++) {
      if (joints[node] === joint || !counts(node)) continue;
      shares.set(joints[node], (shares.get(joints[node]) ?? 0) + values[node]);
    }
  }
  const most = Math.max(0, ...shares.values());
  return [...shares].flatMap(([other, share]) => (share < RULER_SHARE * most ? [] : [other]));
}

/** How a patch compares with the points around it. */
export interface RimComparison {
  /** Mean weight of the joint on the patch's rim, as a share of the most in the patch: 1 is a hard edge all around. */
  readonly contrast: number;
  /**
   * How far what else the rim's points have is from what the points beyond have, 0 to 1, on average: near 0 the patch lies
   * over what would be there without it. Undefined where the patch leaves nothing else.
   */
  readonly residue: number | undefined;
  /** How far neighbours beyond the rim are from one another, likewise: what would be usual here. */
  readonly usual: number;
}

export function compareWithRim(place: PatchPlace): RimComparison {
  const { points, neighbours, joint, rows } = place;
  const { offsets, points: linked } = neighbours;
  const inside = new Set(points);
  const beyond = new Set<number>();
  let [most, weight, edges, difference, compared] = [0, 0, 0, 0, 0];
  for (const p of points) {
    const own = shareOf(rows, p, joint);
    most = Math.max(most, own);
    for (let e = offsets[p]; e < offsets[p + 1]; e++) {
      if (inside.has(linked[e])) continue;
      weight += own;
      edges++;
      beyond.add(linked[e]);
      if (1 - own < MIN_RESIDUE) continue;
      difference += residueDistance(rows, p, linked[e], joint, 1 / (1 - own));
      compared++;
    }
  }
  return {
    contrast: edges > 0 ? weight / edges / most : 0,
    residue: 2 * compared >= edges && compared > 0 ? difference / compared : undefined,
    usual: usualDistance(place, inside, beyond),
  };
}

function usualDistance(
  { neighbours: { offsets, points }, rows }: PatchPlace,
  inside: ReadonlySet<number>,
  beyond: ReadonlySet<number>,
): number {
  let [sum, count] = [0, 0];
  for (const p of beyond) {
    for (let e = offsets[p]; e < offsets[p + 1]; e++) {
      if (inside.has(points[e])) continue;
      sum += residueDistance(rows, p, points[e], -1, 1);
      count++;
    }
  }
  return count > 0 ? sum / count : 0;
}

const HARD = 0.9;
const ALIKE = 0.06;
const ALIKE_AS_USUAL = 1.5;

/** Whether a patch looks laid on: a hard edge all around, and below it what lies around it, if anything. */
export const isLaidOn = ({ contrast, residue = 0, usual }: RimComparison): boolean =>
  contrast >= HARD && residue <= ALIKE + ALIKE_AS_USUAL * usual;

const FLAT = 0.97;
const ALIKE_BELOW = 0.02;

/** Whether a patch has the same weight all along its edge, over just what lies around it. */
export const isFlatlyLaidOn = ({ contrast, residue, usual }: RimComparison): boolean =>
  contrast >= FLAT && residue !== undefined && residue <= ALIKE_BELOW + usual;

function shareOf({ joints, values, stride }: WeightRows, p: number, joint: number): number {
  for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++)
    if (joints[k] === joint) return values[k];
  return 0;
}

/** Half the summed absolute difference of a row without a joint, scaled, and another row. */
function residueDistance(
  { joints, values, stride }: WeightRows,
  p: number,
  q: number,
  joint: number,
  scale: number,
): number {
  let shared = 0;
  for (let a = p * stride; a < (p + 1) * stride && values[a] !== 0; a++) {
    if (joints[a] === joint) continue;
    for (let b = q * stride; b < (q + 1) * stride && values[b] !== 0; b++)
      if (joints[a] === joints[b]) shared += Math.min(values[a] * scale, values[b]);
  }
  return Math.max(0, 1 - shared);
}
