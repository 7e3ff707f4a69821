import type { Neighbours } from '../mesh/neighbours.ts';
import { createCandidates, normalizeCandidates, RowStatus } from './normalize.ts';
import type { WeightRows } from './rows.ts';
import type { PointList } from './pointList.ts';

/**
 * Targets for smoothing one joint's column: each listed point's value moves toward the mean of its neighbours by
 * amount[i] (0..1); umbrella Laplacian (Taubin 1995). Twin of smoothTargets in core/kernels/rows.ts.
 */
export function smoothTargets(
  list: PointList,
  column: Float32Array,
  { offsets, points }: Neighbours,
  amounts: Float32Array,
  targets: Float32Array,
): void {
  for (let i = 0; i < list.count; i++) {
    const point = list.points[i];
    const from = offsets[point];
    const to = offsets[point + 1];
    targets[i] = column[point];
    if (to === from) continue;
    let sum = 0;
    for (let k = from; k < to; k++) sum += column[points[k]];
    targets[i] = column[point] + (sum / (to - from) - column[point]) * amounts[i];
  }
}

/**
 * Smooths all influences of the listed points at once: each row moves toward the mean of its neighbours' rows by
 * amount[i]; locked joints keep their value. Reads `src`, writes the row of the i-th listed point to row i of `dst` (the
 * two must not alias). Unweighted points are left alone. status[i] receives bits of RowStatus; where it does not say
 * `changed`, row i of `dst` means nothing. Twin of smoothRows.
 */
export function smoothRows(
  src: WeightRows,
  dst: WeightRows,
  list: PointList,
  { offsets, points }: Neighbours,
  amounts: Float32Array,
  limit: number,
  locks: Uint8Array,
  status: Uint8Array,
): void {
  const c = createCandidates();
  const accumulator = new Float64Array(locks.length);
  for (let i = 0; i < list.count; i++) {
    const point = list.points[i];
    const from = offsets[point];
    const to = offsets[point + 1];
    const row = point * src.stride;
    const amount = amounts[i];
    status[i] = RowStatus.unchanged;
    if (to === from || src.values[row] === 0 || amount <= 0) continue;
    // 1. The point's own row, in the share that stays; locked joints whole.
    const touched: number[] = [];
    for (let k = row; k < row + src.stride && src.values[k] !== 0; k++) {
      const joint = src.joints[k];
      touched.push(joint);
      accumulator[joint] = locks[joint] ? src.values[k] : src.values[k] * (1 - amount);
    }
    // 2. The neighbours' rows in equal shares.
    const share = amount / (to - from);
    for (let e = from; e < to; e++) {
      const start = points[e] * src.stride;
      for (let k = start; k < start + src.stride && src.values[k] !== 0; k++) {
        const joint = src.joints[k];
        if (locks[joint]) continue;
        if (accumulator[joint] === 0 && !touched.includes(joint)) touched.push(joint);
        accumulator[joint] += src.values[k] * share;
      }
    }
    // 3. Candidates out of the accumulator, which is left clean.
    c.count = 0;
    for (const joint of touched) {
      if (accumulator[joint] > 0) {
        c.joints[c.count] = joint;
        c.values[c.count++] = accumulator[joint];
      }
      accumulator[joint] = 0;
    }
    dst.values.fill(0, i * dst.stride, (i + 1) * dst.stride);
    status[i] = normalizeCandidates(dst, i, c, { fixed: -1, limit, locks });
  }
}
