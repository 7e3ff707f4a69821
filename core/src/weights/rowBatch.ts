import type { Kernels } from '../kernels/kernels.ts';
import { normalizeCandidates, type Candidates } from './normalize.ts';
import { createRows, type WeightRows } from './rows.ts';

/** Rows that go through the normalizing routine together. */
export const BATCH_ROWS = 1024;
/** Most candidates of a row in a batch; wider ones are normalized by themselves. */
export const BATCH_WIDTH = 24;

/**
 * Candidates of many rows, normalized by one call of a kernel. Made once, in the kernels' memory.
 *
 * - `joints`, `values`  BATCH_WIDTH a row; `counts` of them are meant.
 * - `limits`            Uint8Array: the largest number of influences of each row.
 * - `dst`, `status`     the rows as they come out, and bits of RowStatus.
 */
export interface RowBatch {
  readonly kernels: Kernels;
  readonly joints: Uint16Array;
  readonly values: Float64Array;
  readonly counts: Uint8Array;
  readonly limits: Uint8Array;
  readonly dst: WeightRows;
  readonly status: Uint8Array;
  /** A row's candidates each, lying over `joints` and `values`. */
  readonly candidates: readonly Candidates[];
}

/** Kernel memory that a batch takes, in bytes. */
export const rowBatchBytes = (stride: number): number =>
  BATCH_ROWS * (BATCH_WIDTH * 10 + stride * 6 + 3) + 256;

export function createRowBatch(kernels: Kernels, stride: number): RowBatch {
  const joints = kernels.u16(BATCH_ROWS * BATCH_WIDTH);
  const values = kernels.f64(BATCH_ROWS * BATCH_WIDTH);
  return {
    kernels,
    joints,
    values,
    counts: kernels.u8(BATCH_ROWS),
    limits: kernels.u8(BATCH_ROWS),
    dst: kernels.rows(BATCH_ROWS, stride),
    status: kernels.u8(BATCH_ROWS),
    candidates: Array.from({ length: BATCH_ROWS }, (_, i) => ({
      count: 0,
      joints: joints.subarray(i * BATCH_WIDTH, (i + 1) * BATCH_WIDTH),
      values: values.subarray(i * BATCH_WIDTH, (i + 1) * BATCH_WIDTH),
    })),
  };
}

/** Whether a batch can serve: its rows have the stride, and the locks lie in its memory. */
export function batchServes(
  batch: RowBatch | undefined,
  stride: number,
  locks: Uint8Array,
): batch is RowBatch {
  return (
    batch !== undefined &&
    batch.dst.stride === stride &&
    (batch.kernels.kind === 'plain' || locks.buffer === batch.status.buffer)
  );
}

/** Normalizes the first `count` rows of a batch. Twin of normalizeBatch in core/kernels/rows.ts. */
export function normalizeBatch(
  { joints, values, counts, limits, dst, status }: Omit<RowBatch, 'kernels' | 'candidates'>,
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
