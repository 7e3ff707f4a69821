import type { WeightRows } from './rows.ts';
import type { Neighbours } from '../mesh/neighbours.ts';

/** The connected pieces of each joint's weight. A node is a used slot of a row, numbered as in the rows. */
export interface WeightPieces {
  /** Uint32Array, a node each: the first node of its piece, which stands for it. */
  readonly pieceOf: Uint32Array;
  /** Float32Array, by the node that stands for a piece: the piece's weight in points. */
  readonly mass: Float32Array;
  /** Uint8Array, likewise: 1 where a neighbour lacks the joint, so that the piece does not cover its island. */
  readonly bordered: Uint8Array;
  /** Uint32Array: the nodes that stand for a piece, rising. */
  readonly roots: Uint32Array;
}

/** Pieces on their way: arrays of a node each, in the kernels' memory, and zero before. */
export interface PieceWork extends WeightPieces {
  /** Uint32Array, pointCount each: the compiled loop's room for points that follow one joint whole. */
  readonly solo: Uint32Array;
  readonly chief: Uint32Array;
}

/** The loop of {@link joinPieces}; twin of joinPieces in core/kernels/topology.ts. Returns the number of pieces. */
export function fillPieces(
  { stride, joints, values, pointCount }: WeightRows,
  { offsets, points }: Neighbours,
  { pieceOf: parent, mass, bordered, roots }: PieceWork,
): number {
  for (let i = 0; i < parent.length; i++) parent[i] = i;
  const find = (node: number): number => {
    while (parent[node] !== node) {
      parent[node] = parent[parent[node]];
      node = parent[node];
    }
    return node;
  };
  // The first node stands for its piece, so that the order of joining does not matter.
  const unite = (a: number, b: number): void => {
    const [first, second] = [find(a), find(b)];
    if (first < second) parent[second] = first;
    else parent[first] = second;
  };
  // 1. Join the same joint across every edge; where a neighbour lacks it, the piece has a border.
  for (let p = 0; p < pointCount; p++) {
    const from = p * stride;
    const alone = stride === 1 || values[from + 1] === 0;
    for (let e = offsets[p]; e < offsets[p + 1]; e++) {
      const n = points[e];
      const to = n * stride;
      // Nearly everywhere both follow the same joint whole.
      if (alone && joints[to] === joints[from] && values[to] !== 0 && values[from] !== 0) {
        if (n > p && parent[from] !== parent[to]) unite(from, to);
        continue;
      }
      for (let a = from; a < from + stride && values[a] !== 0; a++) {
        let shared = false;
        for (let b = n * stride; b < (n + 1) * stride && values[b] !== 0; b++) {
          if (joints[a] !== joints[b]) continue;
          shared = true;
          if (n > p && parent[a] !== parent[b]) unite(a, b);
          break;
        }
        if (!shared) bordered[a] = 1;
      }
    }
  }
  // 2. How much weight each piece holds.
  let count = 0;
  for (let p = 0; p < pointCount; p++) {
    for (let node = p * stride; node < (p + 1) * stride && values[node] !== 0; node++) {
      const root = find(node);
      mass[root] += values[node];
      bordered[root] |= bordered[node];
      if (root === node) roots[count++] = node;
      parent[node] = root;
    }
  }
  return count;
}

/**
 * Points that hold weight in a marked piece, rising, into `out`; twin of listMarked in core/kernels/topology.ts. Returns
 * their number.
 *
 * @param marks by the node that stands for a piece
 */
export function listMarked(
  { pointCount, stride, values }: WeightRows,
  pieceOf: Uint32Array,
  marks: Uint8Array,
  out: Uint32Array,
): number {
  let count = 0;
  for (let p = 0; p < pointCount; p++) {
    let node = p * stride;
    const end = node + stride;
    while (node < end && values[node] !== 0 && marks[pieceOf[node]] === 0) node++;
    if (node < end && values[node] !== 0) out[count++] = p;
  }
  return count;
}
