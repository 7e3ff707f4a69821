import { countBytes } from '../memory/countBytes.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';
import { borrowMemory } from '../memory/memoryPool.ts';
import { spatialKernels } from './spatialKernels.ts';
import { layTree, type NearestPlaces } from './treeLoops.ts';

export type { NearestPlaces } from './treeLoops.ts';

/**
 * The nearest place on many triangles, of many places at once: as {@link TriangleTree}, by the compiled kernels. Quick where
 * places that follow one another lie near one another.
 *
 * @param positions Float32Array, 3 a point @param triangles Uint32Array, 3 a triangle
 * @param places    Float32Array, 3 a place
 */
export async function nearestPlaces(
  positions: Float32Array,
  triangles: Uint32Array,
  places: Float32Array,
): Promise<NearestPlaces> {
  const layAll = (memory: KernelMemory) => ({
    work: layTree(memory, positions, triangles),
    at: memory.f32(places.length),
    found: layFound(memory, places.length / 3),
  });
  const loan = await borrowMemory(countBytes(layAll));
  try {
    const { work, at, found } = layAll(loan.memory);
    work.positions.set(positions);
    work.triangles.set(triangles);
    at.set(places);
    const kernels = spatialKernels(loan.memory);
    kernels.growTree(work);
    if (triangles.length > 0) kernels.nearestOfPlaces(work, at, found);
    else found.triangles.fill(-1);
    const { triangles: nearest, shares, distances } = found;
    return { triangles: nearest.slice(), shares: shares.slice(), distances: distances.slice() };
  } finally {
    loan.giveBack();
  }
}

const layFound = (memory: KernelMemory, count: number): NearestPlaces => ({
  triangles: memory.i32(count),
  shares: memory.f32(count * 3),
  distances: memory.f32(count),
});
