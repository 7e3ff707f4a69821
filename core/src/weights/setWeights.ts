import type { PointList } from './pointList.ts';
import { createCandidates, normalizeCandidates, RowStatus } from './normalize.ts';
import { MIN_WEIGHT, type WeightRows } from './rows.ts';

/**
 * Gives `joint` the weight targets[i] at the i-th listed point; the other unlocked influences make room in proportion.
 * A row that already has more influences than the limit is not cut by a change to one of them.
 * Changes `rows` in place; status[i] receives bits of RowStatus. Twin of setWeights in core/kernels/rows.ts.
 */
export function setWeights(
  rows: WeightRows,
  list: PointList,
  targets: Float32Array,
  joint: number,
  limit: number,
  locks: Uint8Array,
  status: Uint8Array,
): void {
  const c = createCandidates(rows.stride + 1);
  for (let i = 0; i < list.count; i++) {
    const point = list.points[i];
    const from = point * rows.stride;
    let at = -1;
    c.count = 0;
    for (let k = 0; k < rows.stride && rows.values[from + k] !== 0; k++) {
      if (rows.joints[from + k] === joint) at = k;
      c.joints[k] = rows.joints[from + k];
      c.values[k] = rows.values[from + k];
      c.count++;
    }
    status[i] = RowStatus.unchanged;
    if (at >= 0) {
      if (c.values[at] === targets[i]) continue;
      c.values[at] = targets[i];
      status[i] = normalizeCandidates(rows, point, c, {
        fixed: joint,
        limit: Math.max(limit, c.count),
        locks,
      });
    } else if (targets[i] >= MIN_WEIGHT) {
      c.joints[c.count] = joint;
      c.values[c.count] = targets[i];
      c.count++;
      status[i] = normalizeCandidates(rows, point, c, { fixed: joint, limit, locks });
    }
  }
}

/** The weight of one joint at every point, into `out` (Float32Array, pointCount). Twin of readColumn. */
export function readColumn(rows: WeightRows, joint: number, out: Float32Array): void {
  const { stride, joints, values } = rows;
  for (let p = 0; p < rows.pointCount; p++) {
    out[p] = 0;
    for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++) {
      if (joints[k] === joint) {
        out[p] = values[k];
        break;
      }
    }
  }
}
