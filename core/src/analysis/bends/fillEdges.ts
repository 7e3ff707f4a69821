import type { LayerMesh } from '../../drawing/layerMesh.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { findNeighbours, listEdges } from '../../mesh/topology.ts';
import { edgeLengths } from './strain.ts';

/** Edges that are shorter than this share of the middle one say nothing. */
const LONG_ENOUGH = 0.3;

/** Which places of a fill hang together. */
export function fillNeighbours({ triangles, count }: LayerMesh): Neighbours {
  const offsets = Uint32Array.from({ length: triangles.length / 3 + 1 }, (_, t) => t * 3);
  return findNeighbours({ offsets, points: triangles }, count);
}

/**
 * The edges of a fill that are measured, two places an edge, and how long they are at rest. Those of a curve's ends, where
 * its handles lie on its anchors, are so short that they are many times as long in any bend: they are left out.
 *
 * @param rest Float32Array, 3 a place
 */
export function fillEdges(
  neighbours: Neighbours,
  rest: Float32Array,
): { edges: Uint32Array; lengths: Float32Array } {
  const all = listEdges(neighbours);
  const lengths = edgeLengths(all, rest);
  const middle = lengths.slice().sort()[lengths.length >> 1] ?? 0;
  const kept: number[] = [];
  lengths.forEach((length, e) => {
    if (length >= LONG_ENOUGH * middle) kept.push(all[e * 2], all[e * 2 + 1]);
  });
  const edges = Uint32Array.from(kept);
  return { edges, lengths: edgeLengths(edges, rest) };
}
