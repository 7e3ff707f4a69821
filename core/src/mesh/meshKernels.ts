import { kernelFace } from '../memory/kernelFace.ts';
import type { NeighbourWork, Neighbours } from './neighbours.ts';
import type { Polygons } from './polygons.ts';
import { fillIslands, fillNeighbours } from './topologyLoops.ts';

/** The hot loops over a surface's polygons; see the plain twins for what they do. */
export interface MeshKernels {
  /** @returns how many neighbours all points have */
  fillNeighbours(polygons: Polygons, work: NeighbourWork): number;
  /** @returns how many islands there are */
  fillIslands(neighbours: Neighbours, ofPoint: Int32Array, queue: Uint32Array): number;
}

export const meshKernels = kernelFace<MeshKernels>({ fillNeighbours, fillIslands }, (run, at) => ({
  fillNeighbours: ({ offsets: polygons, points: corners }, { starts, ends, found, offsets }) =>
    run.fillNeighbours(
      at(polygons),
      polygons.length - 1,
      at(corners),
      ends.length,
      at(starts),
      at(ends),
      at(found),
      at(offsets),
    ),
  fillIslands: ({ offsets, points }, ofPoint, queue) =>
    run.fillIslands(ofPoint.length, at(offsets), at(points), at(ofPoint), at(queue)),
}));
