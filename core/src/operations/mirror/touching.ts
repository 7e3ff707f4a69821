import { PointTree } from '../../spatial/pointTree.ts';
import type { MirrorSpace } from '../../document/space/mirrorSpace.ts';
import { findIslands, findNeighbours } from '../../mesh/topology.ts';

/**
 * Where islands touch one another, within a part or across parts: layers of clothes, a cut that was never sewn, a boot
 * in a trouser leg.
 *
 * @param tolerance how far apart points that touch may be, in the space's units
 * @returns Int32Array, a point: the nearest point of another island, -1 where none is that near
 */
export function findTouching(
  { positions, offsets, corners }: Pick<MirrorSpace, 'positions' | 'offsets' | 'corners'>,
  tolerance: number,
): Int32Array {
  const count = positions.length / 3;
  const { ofPoint } = findIslands(findNeighbours({ offsets, points: corners }, count));
  const tree = new PointTree(
    positions,
    Uint32Array.from({ length: count }, (_, p) => p),
  );
  return Int32Array.from({ length: count }, (_, p) =>
    tree.nearest(
      positions[p * 3],
      positions[p * 3 + 1],
      positions[p * 3 + 2],
      tolerance,
      (other) => ofPoint[other] !== ofPoint[p],
    ),
  );
}
