import { checkInput } from '@judoka/core/analysis/checkUp';
import type { Character } from '@judoka/core/document';
import { findNeighbours } from '@judoka/core/mesh';
import { rowSum, weightOf, type WeightRows } from '@judoka/core/weights';

// Faults put into the weights of bodies with one part, to see whether they are found and cured.

/** A row to write to. */
export const copyOf = (rows: WeightRows): WeightRows => ({
  ...rows,
  joints: rows.joints.slice(),
  values: rows.values.slice(),
});

export function jointCalled({ skeleton }: Character, name: string): number {
  const found = skeleton.joints.findIndex((joint) => joint.name === name);
  if (found < 0) throw new Error(`There is no joint ${name}.`);
  return found;
}

/** Points about the one nearest to a joint's place, ring by ring, that do not know another joint yet; rising. */
export function patchAround(character: Character, onto: number, joint: number, size: number): number[] {
  const {
    parts: [part],
    rows,
  } = character;
  const { places } = checkInput(character, {});
  const { offsets, points } = findNeighbours(
    { offsets: part.polygonOffsets, points: part.polygonPoints },
    part.pointCount,
  );
  const far = (p: number): number =>
    Math.hypot(...[0, 1, 2].map((k) => part.positions[p * 3 + k] - places[onto * 3 + k]));
  let seed = 0;
  for (let p = 1; p < part.pointCount; p++) if (far(p) < far(seed)) seed = p;
  const patch = new Set([seed]);
  for (const p of patch)
    for (let e = offsets[p]; e < offsets[p + 1] && patch.size < size; e++)
      if (weightOf(rows[0], points[e], joint) === 0) patch.add(points[e]);
  return [...patch].sort((a, b) => a - b);
}

/** Gives a joint an amount at a point; the others share the rest as before. */
export function give(rows: WeightRows, p: number, joint: number, amount: number): void {
  const { joints, values, stride } = rows;
  const row: [number, number][] = [[joint, amount]];
  const rest = 1 - weightOf(rows, p, joint);
  for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++)
    if (joints[k] !== joint) row.push([joints[k], (values[k] * (1 - amount)) / rest]);
  write(rows, p, row);
}

function write({ joints, values, stride }: WeightRows, p: number, row: [number, number][]): void {
  row.sort((a, b) => b[1] - a[1] || a[0] - b[0]);
  for (let k = 0; k < stride; k++) {
    const has = k < row.length && row[k][1] > 0;
    joints[p * stride + k] = has ? row[k][0] : 0;
    values[p * stride + k] = has ? row[k][1] : 0;
  }
}

/** Shakes all weights of the points that follow a joint for some part and are shared. @returns these points */
export function shake(rows: WeightRows, joint: number, most: number): number[] {
  const shaken: number[] = [];
  let seed = 17;
  const random = (): number => (seed = (seed * 48271) % 0x7fffffff) / 0x7fffffff;
  for (let p = 0; p < rows.pointCount; p++) {
    const [from, end] = [p * rows.stride, (p + 1) * rows.stride];
    if (!(weightOf(rows, p, joint) > 0.15) || rows.values[from + 1] < 0.1) continue;
    shaken.push(p);
    for (let k = from; k < end && rows.values[k] > 0; k++)
      rows.values[k] = Math.max(0.01, rows.values[k] + most * (2 * random() - 1));
    const sum = rowSum(rows, p);
    const row: [number, number][] = [];
    for (let k = from; k < end && rows.values[k] > 0; k++) row.push([rows.joints[k], rows.values[k] / sum]);
    write(rows, p, row);
  }
  return shaken;
}

/** Gives all of a joint's and its parent's weight to whichever has more. @returns the points */
export function harden({ skeleton }: Character, rows: WeightRows, joint: number): number[] {
  const { parent } = skeleton.joints[joint];
  const hardened: number[] = [];
  for (let p = 0; p < rows.pointCount; p++) {
    const [a, b] = [weightOf(rows, p, joint), weightOf(rows, p, parent)];
    if (a + b < 0.7) continue;
    write(rows, p, [[a >= b ? joint : parent, 1]]);
    if (a > 0.01 && b > 0.01) hardened.push(p);
  }
  return hardened;
}

/** Leaves a joint a share of its weight; its parent gets the rest. @returns the points */
export function weaken({ skeleton }: Character, rows: WeightRows, joint: number, share: number): number[] {
  const { parent } = skeleton.joints[joint];
  const weakened: number[] = [];
  for (let p = 0; p < rows.pointCount; p++) {
    const own = weightOf(rows, p, joint);
    if (own === 0) continue;
    weakened.push(p);
    const row: [number, number][] = [[joint, own * share]];
    const above = weightOf(rows, p, parent) + own * (1 - share);
    row.push([parent, above]);
    for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] > 0; k++)
      if (rows.joints[k] !== joint && rows.joints[k] !== parent) row.push([rows.joints[k], rows.values[k]]);
    write(rows, p, row);
  }
  return weakened;
}

/** What is planted in an actor by `plantNine`, and where. */
export interface PlantedFault {
  readonly what: string;
  readonly points: readonly number[];
}

/** Nine faults of the kinds that riggers meet, in the weights of an actor in one part. */
export function plantNine(actor: Character): { rows: WeightRows; faults: readonly PlantedFault[] } {
  const rows = copyOf(actor.rows[0]);
  const joint = (name: string): number => jointCalled(actor, name);
  const stray = (what: string, name: string, onto: string, amount: number, size: number): PlantedFault => {
    const points = patchAround(actor, joint(onto), joint(name), size);
    for (const p of points) give(rows, p, joint(name), amount);
    return { what, points };
  };
  const faults: PlantedFault[] = [
    { what: 'a hard elbow', points: harden(actor, rows, joint('forearm_R')) },
    { what: 'an unmirrored leg', points: weaken(actor, rows, joint('thigh_L'), 0.45) },
    { what: 'noise about the waist', points: shake(rows, joint('spine'), 0.3) },
    stray('a shin on the other leg', 'shin_L', 'shin_R', 0.5, 24),
    stray('a heel on the knee', 'thigh_R', 'foot_R', 0.9, 24),
    stray('a brow on the chin', 'brow_in_L', 'chin', 0.6, 14),
    stray('a lip on the brow', 'lip_up', 'brow_mid_R', 0.7, 14),
    stray('the back on the root', 'root', 'chest', 1, 20),
    stray('a thumb on the arm', 'thumb_2_L', 'upper_arm_L', 0.5, 18),
  ];
  return { rows, faults };
}
