import type { Neighbours, NeighbourWork } from './neighbours.ts';
import type { Polygons } from './polygons.ts';
import { meshKernels } from './meshKernels.ts';
import { type KernelMemory, PLAIN_MEMORY } from '../memory/kernelMemory.ts';

/** Room for neighbours in the kernels' memory. */
export const layNeighbours = (
  memory: KernelMemory,
  pointCount: number,
  cornerCount: number,
): NeighbourWork => ({
  starts: memory.u32(pointCount + 1),
  ends: memory.u32(pointCount),
  found: memory.u32(cornerCount * 2),
  offsets: memory.u32(pointCount + 1),
});

/**
 * Neighbours along polygon edges (a quad's diagonal is no edge). Counting sort into one bucket a point, then each short
 * bucket is cleared of repeats: linear time, no Map, no Set.
 *
 * @param memory what memory and loop to use; the polygons must lie in its memory
 */
export function findNeighbours(
  polygons: Polygons,
  pointCount: number,
  memory: KernelMemory = PLAIN_MEMORY,
): Neighbours {
  const work = layNeighbours(memory, pointCount, polygons.points.length);
  const count = meshKernels(memory).fillNeighbours(polygons, work);
  const { offsets, found } = work;
  // On ordinary memory the repeats' room is given back.
  return { offsets, points: memory === PLAIN_MEMORY ? found.slice(0, count) : found.subarray(0, count) };
}

/** Every edge once: Uint32Array, 2·edgeCount, the lower point first. */
export function listEdges({ offsets, points }: Neighbours): Uint32Array {
  const edges = new Uint32Array(points.length);
  let count = 0;
  for (let p = 0; p + 1 < offsets.length; p++) {
    for (let k = offsets[p]; k < offsets[p + 1]; k++) {
      if (points[k] < p) continue;
      edges[count++] = p;
      edges[count++] = points[k];
    }
  }
  return edges.slice(0, count);
}

export interface Islands {
  /** Connected pieces that have at least one edge. */
  readonly count: number;
  /** Int32Array, pointCount: point → island, by falling first point; -1 for a point that no polygon uses. */
  readonly ofPoint: Int32Array;
}

/** Room for islands in the kernels' memory. */
export const layIslands = (
  memory: KernelMemory,
  pointCount: number,
): { ofPoint: Int32Array; queue: Uint32Array } => ({
  ofPoint: memory.i32(pointCount),
  queue: memory.u32(pointCount),
});

/** Connected pieces of the surface. @param memory what memory and loop to use; as for {@link findNeighbours} */
export function findIslands(neighbours: Neighbours, memory: KernelMemory = PLAIN_MEMORY): Islands {
  const pointCount = neighbours.offsets.length - 1;
  const { ofPoint, queue } = layIslands(memory, pointCount);
  const count = meshKernels(memory).fillIslands(neighbours, ofPoint, queue);
  return { count, ofPoint };
}
