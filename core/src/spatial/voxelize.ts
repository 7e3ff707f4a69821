import type { Soup } from './soup.ts';
import type { VoxelGrid, VoxelWork } from './voxels.ts';
import { spatialKernels } from './spatialKernels.ts';
import { borrowMemory } from '../memory/memoryPool.ts';

/** Empty cells around the box, so that the outside is one piece. */
const MARGIN = 2;

type Triple = [number, number, number];

/** A voxel grid with the depth of each cell. */
export interface DeepGrid extends VoxelGrid {
  /** Float32Array, cellCount: how far it is from the cell's centre to the outside; 0 outside and in the shell. */
  readonly depth: Float32Array;
}

/**
 * Fills a triangle soup, closed or torn, in cells of `size`.
 *
 * Along each axis the surface is crossed by one line a row of cells; the signed crossings give the winding number from
 * both ends (Nooruddin & Turk 2003, "Simplification and repair of polygonal models", use parity; winding also takes
 * doubled and nested surfaces). A cell is inside when at least four of the six ways of asking say so, which carries over
 * holes that only some of the lines meet.
 */
export async function voxelize(
  positions: Float32Array,
  triangles: Uint32Array,
  size: number,
  { least, most }: Pick<Soup, 'least' | 'most'>,
): Promise<DeepGrid> {
  const counts = least.map((low, k) => 2 * (Math.ceil((most[k] - low) / size / 2) + MARGIN)) as Triple;
  const [nx, ny, nz] = counts;
  const origin = least.map((low, k) => (low + most[k]) / 2 - (counts[k] / 2) * size) as Triple;
  const cellCount = nx * ny * nz;
  const loan = await borrowMemory(positions.length * 10 + triangles.length * 4 + cellCount * 12 + 1024);
  try {
    const { memory } = loan;
    const work: VoxelWork = {
      positions: memory.f32(positions.length),
      places: memory.f32((positions.length / 3) * 4),
      triangles: memory.u32(triangles.length),
      counts,
      origin,
      size,
      windings: [memory.i16(cellCount), memory.i16(cellCount), memory.i16(cellCount)],
      votes: memory.u8(cellCount),
      solid: memory.u8(cellCount),
      depth: memory.f32(cellCount),
      backSteps: memory.i32(13),
      backLengths: memory.f64(13),
    };
    work.positions.set(positions);
    work.triangles.set(triangles);
    listBackSteps(work);
    spatialKernels(memory).placeInCells(work);
    spatialKernels(memory).crossTriangles(work);
    for (let axis = 0; axis < 3; axis++) spatialKernels(memory).castVotes(work, axis);
    spatialKernels(memory).countVotes(work);
    spatialKernels(memory).measureDepth(work);
    return { nx, ny, nz, size, origin, solid: work.solid.slice(), depth: work.depth.slice() };
  } finally {
    loan.giveBack();
  }
}

function listBackSteps({ counts: [nx, ny], size, backSteps, backLengths }: VoxelWork): void {
  let count = 0;
  for (let z = -1; z <= 1; z++) {
    for (let y = -1; y <= 1; y++) {
      for (let x = -1; x <= 1; x++) {
        const step = (z * ny + y) * nx + x;
        if (step >= 0) continue;
        backSteps[count] = step;
        backLengths[count++] = Math.hypot(x, y, z) * size;
      }
    }
  }
}
