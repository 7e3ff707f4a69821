import { BATCH_WIDTH, type BatchRows } from './normalizeBatch.ts';
import type { DeltaBuilder } from './delta.ts';
import { createRowsIn, type WeightRows } from './rows.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';

/** Rows that go through the normalizing routine together. */
export const BATCH_ROWS = 1024;

/**
 * Candidates of many rows, normalized by one call of a kernel. Made once, in the kernels' memory.
 *
 * - `joints`, `values`  BATCH_WIDTH a row; `counts` of them are meant.
 * - `limits`            Uint8Array: the largest number of influences of each row.
 * - `dst`, `status`     the rows as they come out, and bits of RowStatus.
 * - `order`, `targets`  Uint32Array 0, 1, 2, … and Float32Array: to set one joint's weight in rows that lie in `dst`.
 */
export interface RowBatch extends BatchRows {
  readonly memory: KernelMemory;
  readonly order: Uint32Array;
  readonly targets: Float32Array;
}

export function createRowBatch(memory: KernelMemory, stride: number): RowBatch {
  const order = memory.u32(BATCH_ROWS);
  order.forEach((_, i) => (order[i] = i));
  return {
    memory,
    joints: memory.u16(BATCH_ROWS * BATCH_WIDTH),
    values: memory.f64(BATCH_ROWS * BATCH_WIDTH),
    counts: memory.u8(BATCH_ROWS),
    limits: memory.u8(BATCH_ROWS),
    dst: createRowsIn(memory, BATCH_ROWS, stride),
    status: memory.u8(BATCH_ROWS),
    order,
    targets: memory.f32(BATCH_ROWS),
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
    (!batch.memory.compiled || locks.buffer === batch.status.buffer)
  );
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
