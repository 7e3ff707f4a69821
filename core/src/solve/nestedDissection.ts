import type { DissectWork, Graph } from './dissect.ts';
import { solveKernels } from './solveKernels.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';

const SMALLEST_PIECE = 16;
/** Pieces that wait: two for each halving, and no mesh is halved more often. */
const MAX_WAITING = 128;

type DissectRoom = Omit<DissectWork, 'smallest' | 'positions' | 'neighbours'>;

/** Room for a dissection in the kernels' memory. */
export const layDissection = (memory: KernelMemory, pointCount: number): DissectRoom => ({
  order: memory.u32(pointCount),
  best: memory.u32(pointCount),
  keys: memory.f32(pointCount),
  pieceOf: memory.u32(pointCount),
  stack: memory.i32(MAX_WAITING * 2),
});

/**
 * An elimination order for matrices on a surface: nested dissection (George 1973). Each piece is cut at the median across
 * the axis that leaves the fewest points beside the cut; a tube is cut along where it is shorter than around. Returns
 * Uint32Array, pointCount: position in the order → point.
 *
 * @param positions, neighbours in the kernels' memory; neighbours are what the matrix couples
 */
export function nestedDissection(
  positions: Float32Array,
  neighbours: Graph,
  memory: KernelMemory,
): Uint32Array {
  const pointCount = neighbours.offsets.length - 1;
  const room = layDissection(memory, pointCount);
  const { order } = room;
  for (let p = 0; p < pointCount; p++) order[p] = p;
  solveKernels(memory).dissect({ smallest: SMALLEST_PIECE, positions, neighbours, ...room });
  return order;
}
