import { influenceCount, type WeightRows } from '../../weights/rows.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';

/** Joints that may get weight at each of some points: compressed rows. */
export interface PointJoints {
  readonly offsets: Uint32Array;
  readonly joints: Uint16Array;
}

/**
 * The joints that weigh at points and about them: what they may get weight of. Weights are spread over the surface for some
 * rounds; of what arrives the most stay.
 *
 * @param points   rising
 * @param rounds   how many rings away a joint is still seen
 * @param most     joints a point
 * @param isOpen   whether a joint may get weight at a point that it has none at
 */
export function spreadJoints(
  rows: WeightRows,
  { offsets, points: next }: Neighbours,
  points: Uint32Array,
  rounds: number,
  most: number,
  isOpen: (joint: number, point: number) => boolean,
): PointJoints {
  const held = new Map<number, Map<number, number>>();
  const own = (p: number): Map<number, number> => {
    const row = new Map<number, number>();
    for (let k = p * rows.stride, end = k + influenceCount(rows, p); k < end; k++)
      row.set(rows.joints[k], rows.values[k]);
    return row;
  };
  const at = (from: ReadonlyMap<number, Map<number, number>>, p: number): Map<number, number> =>
    from.get(p) ?? own(p);
  for (const p of points) held.set(p, own(p));
  let from: ReadonlyMap<number, Map<number, number>> = held;
  for (let round = 0; round < rounds; round++) {
    const to = new Map<number, Map<number, number>>();
    for (const p of points) {
      const sum = new Map<number, number>();
      for (const [joint, w] of at(from, p)) sum.set(joint, w);
      const count = offsets[p + 1] - offsets[p];
      for (let n = offsets[p]; n < offsets[p + 1]; n++)
        for (const [joint, w] of at(from, next[n])) sum.set(joint, (sum.get(joint) ?? 0) + w / count);
      to.set(p, largest(sum, 2 * most));
    }
    from = to;
  }
  return listed(points, (p) => {
    const came = own(p);
    // What it has it may keep; others must be open.
    const spread = [...at(from, p)].filter(([joint]) => !came.has(joint) && isOpen(joint, p));
    spread.sort((a, b) => b[1] - a[1] || a[0] - b[0]);
    return [...came.keys(), ...spread.slice(0, Math.max(0, most - came.size)).map(([joint]) => joint)];
  });
}

function largest(sum: Map<number, number>, most: number): Map<number, number> {
  if (sum.size <= most) return sum;
  return new Map([...sum].sort((a, b) => b[1] - a[1] || a[0] - b[0]).slice(0, most));
}

function listed(points: Uint32Array, jointsOf: (point: number) => number[]): PointJoints {
  const offsets = new Uint32Array(points.length + 1);
  const all: number[] = [];
  points.forEach((p, i) => {
    all.push(...jointsOf(p));
    offsets[i + 1] = all.length;
  });
  return { offsets, joints: Uint16Array.from(all) };
}
