import { PointTree } from '../spatial/pointTree.ts';
import type { Neighbours } from '../mesh/neighbours.ts';
import { createCandidates, normalizeCandidates } from './normalize.ts';
import { createRows, type WeightRows } from './rows.ts';

const SLOTS_OF_MEAN = 64;

/**
 * Gives unweighted points the weights of the surface around: ring by ring inward from the weighted ones, each the mean
 * of its neighbours of the rings before, then smoothed among themselves. Islands without any weight take those of the
 * nearest weighted point. Changes `rows` in place.
 *
 * @param positions Float32Array, 3·pointCount
 * @param limit     largest number of influences
 * @returns the points that were given weights; none if the part has no weight at all
 */
export function healUnweighted(
  rows: WeightRows,
  positions: Float32Array,
  neighbours: Neighbours,
  limit: number,
): Uint32Array {
  const { pointCount, stride, values } = rows;
  const ill: number[] = [];
  for (let p = 0; p < pointCount; p++) if (values[p * stride] === 0) ill.push(p);
  if (ill.length === 0 || ill.length === pointCount) return new Uint32Array(0);
  const locks = new Uint8Array(65536);
  // 1. Rings inward along the surface. A ring is settled as a whole, so that the order of points does not matter.
  let waiting = ill;
  while (waiting.length > 0) {
    const ring = waiting.filter((p) => hasWeightedNeighbour(rows, neighbours, p));
    if (ring.length === 0) break;
    const means = createRows(ring.length, stride);
    ring.forEach((p, i) => meanOfNeighbours(rows, neighbours, p, means, i, limit, locks));
    ring.forEach((p, i) => copy(means, i, rows, p));
    const done = new Set(ring);
    waiting = waiting.filter((p) => !done.has(p));
  }
  // 2. What is left hangs together with nothing that has weight.
  if (waiting.length > 0) {
    const held = Uint32Array.from({ length: pointCount }, (_, p) => p).filter((p) => values[p * stride] > 0);
    const tree = new PointTree(positions, held);
    for (const p of waiting)
      copy(rows, tree.nearest(positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]), rows, p);
  }
  // 3. Even the rings out.
  const apart = new Set(waiting);
  const along = ill.filter((p) => !apart.has(p));
  for (let pass = 0; pass < 4; pass++) {
    const means = createRows(along.length, stride);
    along.forEach((p, i) => meanOfNeighbours(rows, neighbours, p, means, i, limit, locks));
    along.forEach((p, i) => copy(means, i, rows, p));
  }
  return Uint32Array.from(ill);
}

function hasWeightedNeighbour(
  { values, stride }: WeightRows,
  { offsets, points }: Neighbours,
  p: number,
): boolean {
  for (let e = offsets[p]; e < offsets[p + 1]; e++) if (values[points[e] * stride] > 0) return true;
  return false;
}

function meanOfNeighbours(
  rows: WeightRows,
  { offsets, points }: Neighbours,
  p: number,
  means: WeightRows,
  at: number,
  limit: number,
  locks: Uint8Array,
): void {
  const c = createCandidates(SLOTS_OF_MEAN);
  for (let e = offsets[p]; e < offsets[p + 1]; e++) {
    const from = points[e] * rows.stride;
    for (let k = from; k < from + rows.stride && rows.values[k] !== 0; k++) {
      let i = 0;
      while (i < c.count && c.joints[i] !== rows.joints[k]) i++;
      if (i === SLOTS_OF_MEAN) continue;
      if (i === c.count) {
        c.joints[c.count] = rows.joints[k];
        c.values[c.count++] = 0;
      }
      c.values[i] += rows.values[k];
    }
  }
  normalizeCandidates(means, at, c, { fixed: -1, limit, locks });
}

function copy(src: WeightRows, from: number, dst: WeightRows, to: number): void {
  dst.joints.set(src.joints.subarray(from * src.stride, (from + 1) * src.stride), to * dst.stride);
  dst.values.set(src.values.subarray(from * src.stride, (from + 1) * src.stride), to * dst.stride);
}
