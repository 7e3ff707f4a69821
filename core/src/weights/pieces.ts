import type { PieceWork, WeightPieces } from './pieceLoops.ts';
import type { WeightRows } from './rows.ts';
import type { Neighbours } from '../mesh/neighbours.ts';
import { weightKernels } from './weightKernels.ts';
import { type KernelMemory, PLAIN_MEMORY } from '../memory/kernelMemory.ts';

/** Room for pieces in the kernels' memory. */
export function layPieces(memory: KernelMemory, pointCount: number, stride: number): PieceWork {
  const nodes = pointCount * stride;
  return {
    pieceOf: memory.u32(nodes),
    mass: memory.f32(nodes),
    bordered: memory.u8(nodes),
    roots: memory.u32(nodes),
    solo: memory.u32(pointCount),
    chief: memory.u32(pointCount),
  };
}

/**
 * Joins slots of one joint at neighbouring points (union by path halving), all joints at once.
 *
 * @param memory what memory and loop to use; rows and neighbours must lie in its memory
 */
export function joinPieces(
  rows: WeightRows,
  neighbours: Neighbours,
  memory: KernelMemory = PLAIN_MEMORY,
): WeightPieces {
  const work = layPieces(memory, rows.pointCount, rows.stride);
  const count = weightKernels(memory).joinPieces(rows, neighbours, work);
  const { pieceOf, mass, bordered, roots } = work;
  return { pieceOf, mass, bordered, roots: roots.subarray(0, count) };
}
