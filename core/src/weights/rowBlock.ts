import type { Kernels } from '../kernels/kernels.ts';
import { DeltaBuilder, gatherRows, rowsEqual, type Delta } from './delta.ts';
import { createCandidates, normalizeCandidates, RowStatus } from './normalize.ts';
import { pushBatch } from './rowBatch.ts';
import { createRows, type WeightRows } from './rows.ts';

/** Rows that are rewritten together. */
const BLOCK_ROWS = 2048;

/**
 * Many rows on their way to other weights, side by side in the kernels' memory.
 *
 * - `held`    the rows as they are; what locked joints have there stays.
 * - `src`     what the other joints should get, in any proportion; of another stride perhaps.
 * - `dst`     the rows as they come out; zero before.
 * - `status`  bits of RowStatus; `changed` where `dst` differs from `held`.
 */
export interface RowBlock {
  readonly held: WeightRows;
  readonly src: WeightRows;
  readonly dst: WeightRows;
  readonly status: Uint8Array;
}

/** Kernel memory that a block takes, in bytes. */
export const rowBlockBytes = (stride: number, proposedStride: number): number =>
  BLOCK_ROWS * (stride * 12 + proposedStride * 6 + 1) + 256;

export function createRowBlock(kernels: Kernels, stride: number, proposedStride: number): RowBlock {
  return {
    held: kernels.rows(BLOCK_ROWS, stride),
    src: kernels.rows(BLOCK_ROWS, proposedStride),
    dst: kernels.rows(BLOCK_ROWS, stride),
    status: kernels.u8(BLOCK_ROWS),
  };
}

export interface ProposalRules {
  /** In the kernels' memory, as the block. */
  readonly locks: Uint8Array;
  /** Largest number of influences. */
  readonly limit: number;
  /** Proposed weights below this are left out; above zero. */
  readonly least: number;
}

/**
 * Points take proposed rows, under locks and limit, many at a time.
 *
 * @param points   rising, points of the part
 * @param proposal rows of which row `first` + p is meant for point p
 * @returns the delta, and how many points stayed as they were because nothing could take the room
 */
export function adoptRows(
  kernels: Kernels,
  block: RowBlock,
  part: number,
  rows: WeightRows,
  points: Uint32Array,
  { locks, limit, least }: ProposalRules,
  proposal: WeightRows,
  first: number,
): { delta: Delta; held: number } {
  const builder = new DeltaBuilder(part, rows.stride, points.length);
  const { src, dst, status } = block;
  let held = 0;
  for (let from = 0; from < points.length; from += BLOCK_ROWS) {
    const some = points.subarray(from, from + BLOCK_ROWS);
    gatherRows(rows, some, block.held, 0);
    gatherRows(proposal, first === 0 ? some : some.map((p) => p + first), src, 0);
    dst.joints.fill(0);
    dst.values.fill(0);
    kernels.rewriteRows(block, some.length, least, limit, locks);
    for (let i = 0; i < some.length; i++) if (status[i] & RowStatus.noReceiver) held++;
    const kept = RowStatus.changed | RowStatus.noReceiver;
    pushBatch(builder, some, rows, dst, (i) => (status[i] & kept) === RowStatus.changed);
  }
  return { delta: builder.finish(), held };
}

/** The loop of {@link adoptRows}; twin of rewriteRows in core/kernels/rows.ts. */
export function rewriteRows(
  { held, src, dst, status }: RowBlock,
  count: number,
  least: number,
  limit: number,
  locks: Uint8Array,
): void {
  const one = createRows(1, dst.stride);
  const c = createCandidates();
  const put = (rows: WeightRows, i: number, wanted: (joint: number, value: number) => boolean): void => {
    for (let k = i * rows.stride; k < (i + 1) * rows.stride; k++) {
      if (rows.values[k] === 0 || !wanted(rows.joints[k], rows.values[k])) continue;
      c.joints[c.count] = rows.joints[k];
      c.values[c.count++] = rows.values[k];
    }
  };
  for (let i = 0; i < count; i++) {
    c.count = 0;
    put(held, i, (joint) => locks[joint] !== 0);
    put(src, i, (joint, value) => locks[joint] === 0 && value >= least);
    one.joints.fill(0);
    one.values.fill(0);
    const told = normalizeCandidates(one, 0, c, { fixed: -1, limit, locks });
    dst.joints.set(one.joints, i * dst.stride);
    dst.values.set(one.values, i * dst.stride);
    status[i] = (told & ~RowStatus.changed) | (rowsEqual(held, i, dst, i) ? 0 : RowStatus.changed);
  }
}
