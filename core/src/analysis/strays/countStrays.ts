import { TINY_WEIGHT, type WeightRows } from '../../weights/rows.ts';
import { joinPieces } from '../../weights/pieces.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';

/**
 * Per joint, how many of a part's points stray: their weight is tiny, or lies in a patch apart from the joint's main
 * region (the one with the most weight). A patch that covers its whole island is a piece of its own, not apart.
 *
 * @returns Uint32Array, jointCount
 */
export function countStrays(rows: WeightRows, neighbours: Neighbours, jointCount: number): Uint32Array {
  const { joints, values } = rows;
  const { pieceOf, mass, bordered, roots } = joinPieces(rows, neighbours);
  const main = new Int32Array(jointCount).fill(-1);
  for (const node of roots) {
    const joint = joints[node];
    if (main[joint] < 0 || mass[node] > mass[main[joint]]) main[joint] = node;
  }
  const strays = new Uint32Array(jointCount);
  for (let node = 0; node < values.length; node++) {
    if (values[node] === 0) continue;
    const root = pieceOf[node];
    const apart = root !== main[joints[node]] && bordered[root] === 1;
    if (values[node] < TINY_WEIGHT || apart) strays[joints[node]]++;
  }
  return strays;
}
