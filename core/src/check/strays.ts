import type { Neighbours } from '../topology/topology.ts';
import type { WeightRows } from '../weights/rows.ts';

/** Weights above nothing and below this hide easily, and are drawn so that they cannot. */
export const TINY_WEIGHT = 0.02;

/** The connected pieces of each joint's weight. A node is a used slot of a row, numbered as in the rows. */
export interface WeightPieces {
  /** Uint32Array, a node each: the node that stands for its piece. */
  readonly pieceOf: Uint32Array;
  /** Float32Array, by the node that stands for a piece: the piece's weight in points. */
  readonly mass: Float32Array;
  /** Uint8Array, likewise: 1 where a neighbour lacks the joint, so that the piece does not cover its island. */
  readonly bordered: Uint8Array;
}

/** Joins slots of one joint at neighbouring points (union by path halving), all joints at once. */
export function joinPieces(rows: WeightRows, { offsets, points }: Neighbours): WeightPieces {
  const { stride, joints, values, pointCount } = rows;
  const parent = new Uint32Array(pointCount * stride);
  for (let i = 0; i < parent.length; i++) parent[i] = i;
  const find = (node: number): number => {
    while (parent[node] !== node) {
      parent[node] = parent[parent[node]];
      node = parent[node];
    }
    return node;
  };
  // 1. Join the same joint across every edge; where a neighbour lacks it, the piece has a border.
  const bordered = new Uint8Array(parent.length);
  for (let p = 0; p < pointCount; p++) {
    const from = p * stride;
    const alone = stride === 1 || values[from + 1] === 0;
    for (let e = offsets[p]; e < offsets[p + 1]; e++) {
      const n = points[e];
      const to = n * stride;
      // Nearly everywhere both follow the same joint whole.
      if (alone && joints[to] === joints[from] && values[to] !== 0 && values[from] !== 0) {
        if (n > p && parent[from] !== parent[to]) parent[find(to)] = find(from);
        continue;
      }
      for (let a = from; a < from + stride && values[a] !== 0; a++) {
        let shared = false;
        for (let b = n * stride; b < (n + 1) * stride && values[b] !== 0; b++) {
          if (joints[a] !== joints[b]) continue;
          shared = true;
          if (n > p && parent[a] !== parent[b]) parent[find(b)] = find(a);
          break;
        }
        if (!shared) bordered[a] = 1;
      }
    }
  }
  // 2. How much weight each piece holds.
  const mass = new Float32Array(parent.length);
  for (let node = 0; node < parent.length; node++) {
    if (values[node] === 0) continue;
    const root = find(node);
    mass[root] += values[node];
    bordered[root] |= bordered[node];
    parent[node] = root;
  }
  return { pieceOf: parent, mass, bordered };
}

/**
 * Per joint, how many of a part's points stray: their weight is tiny, or lies in a patch apart from the joint's main
 * region (the one with the most weight). A patch that covers its whole island is a piece of its own, not apart.
 *
 * @returns Uint32Array, jointCount
 */
export function countStrays(rows: WeightRows, neighbours: Neighbours, jointCount: number): Uint32Array {
  const { joints, values } = rows;
  const { pieceOf, mass, bordered } = joinPieces(rows, neighbours);
  const main = new Int32Array(jointCount).fill(-1);
  for (let node = 0; node < values.length; node++) {
    if (values[node] === 0 || pieceOf[node] !== node) continue;
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
