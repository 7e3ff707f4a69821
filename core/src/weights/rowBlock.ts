import type { RowBlock } from './rewriteRows.ts';
import { type Delta, DeltaBuilder, gatherRows } from './delta.ts';
import { RowStatus } from './normalize.ts';
import { pushBatch } from './rowBatch.ts';
import { createRowsIn, type WeightRows } from './rows.ts';
import { weightKernels } from './weightKernels.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';

/** Rows that are rewritten together. */
const BLOCK_ROWS = 2048;

export function createRowBlock(memory: KernelMemory, stride: number, proposedStride: number): RowBlock {
  return {
    held: createRowsIn(memory, BLOCK_ROWS, stride),
    src: createRowsIn(memory, BLOCK_ROWS, proposedStride),
    dst: createRowsIn(memory, BLOCK_ROWS, stride),
    status: memory.u8(BLOCK_ROWS),
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
  memory: KernelMemory,
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
    weightKernels(memory).rewriteRows(block, some.length, least, limit, locks);
    for (let i = 0; i < some.length; i++) if (status[i] & RowStatus.noReceiver) held++;
    const kept = RowStatus.changed | RowStatus.noReceiver;
    pushBatch(builder, some, rows, dst, (i) => (status[i] & kept) === RowStatus.changed);
  }
  return { delta: builder.finish(), held };
}
