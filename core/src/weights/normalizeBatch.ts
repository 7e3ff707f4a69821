import { normalizeCandidates } from './normalize.ts';
import { createRows, type WeightRows } from './rows.ts';

/** Most candidates of a row in a batch; wider ones are normalized by themselves. */
export const BATCH_WIDTH = 24;

/** Candidates of many rows, side by side; see RowBatch. */
export interface BatchRows {
  readonly joints: Uint16Array;
  readonly values: Float64Array;
  readonly counts: Uint8Array;
  readonly limits: Uint8Array;
  readonly dst: WeightRows;
  readonly status: Uint8Array;
}

/** Normalizes the first `count` rows of a batch. Twin of normalizeBatch in core/kernels/rows.ts. */
export function normalizeBatch(
  { joints, values, counts, limits, dst, status }: BatchRows,
  count: number,
  fixed: number,
  locks: Uint8Array,
): void {
  const one = createRows(1, dst.stride);
  for (let i = 0; i < count; i++) {
    const c = {
      count: counts[i],
      joints: joints.subarray(i * BATCH_WIDTH, (i + 1) * BATCH_WIDTH),
      values: values.subarray(i * BATCH_WIDTH, (i + 1) * BATCH_WIDTH),
    };
    one.joints.fill(0);
    one.values.fill(0);
    status[i] = normalizeCandidates(one, 0, c, { fixed, limit: limits[i], locks });
    dst.joints.set(one.joints, i * dst.stride);
    dst.values.set(one.values, i * dst.stride);
  }
}
