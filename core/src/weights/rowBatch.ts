import type { Kernels } from '../kernels/kernels.ts';
import type { DeltaBuilder } from './delta.ts';
import { normalizeCandidates } from './normalize.ts';
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
 * - `order`, `targets`  Uint32Array 0, 1, 2, … and Float32Array: to set one joint's weight in rows that lie in `dst`.
 */
export interface RowBatch {
  readonly kernels: Kernels;
  readonly joints: Uint16Array;
  readonly values: Float64Array;
  readonly counts: Uint8Array;
  readonly limits: Uint8Array;
  readonly dst: WeightRows;
  readonly status: Uint8Array;
  readonly order: Uint32Array;
  readonly targets: Float32Array;
}

type BatchRows = Omit<RowBatch, 'kernels' | 'order' | 'targets'>;

/** Kernel memory that a batch takes, in bytes. */
export const rowBatchBytes = (stride: number): number =>
  BATCH_ROWS * (BATCH_WIDTH * 10 + stride * 6 + 11) + 256;

export function createRowBatch(kernels: Kernels, stride: number): RowBatch {
  const order = kernels.u32(BATCH_ROWS);
  order.forEach((_, i) => (order[i] = i));
  return {
    kernels,
    joints: kernels.u16(BATCH_ROWS * BATCH_WIDTH),
    values: kernels.f64(BATCH_ROWS * BATCH_WIDTH),
    counts: kernels.u8(BATCH_ROWS),
    limits: kernels.u8(BATCH_ROWS),
    dst: kernels.rows(BATCH_ROWS, stride),
    status: kernels.u8(BATCH_ROWS),
    order,
    targets: kernels.f32(BATCH_ROWS),
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

/** Hands the rows of a batch that `keep` says to keep to a delta, those that follow one another together. */
export function pushBatch(
  builder: DeltaBuilder,
  points: Uint32Array,
  rows: WeightRows,
  dst: WeightRows,
  keep: (i: number) => boolean,
): void {
  for (let from = 0; from < points.length; from++) {
    let to = from;
    while (to < points.length && keep(to)) to++;
    if (to > from) builder.pushRows(points.subarray(from, to), rows, dst, from);
    from = to;
  }
}
