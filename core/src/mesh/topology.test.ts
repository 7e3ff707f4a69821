import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { grid } from '../testing/shapes.ts';
import { recoverQuads } from './quads.ts';
import { findIslands, findNeighbours, listEdges } from './topology.ts';
import { weldVertices } from './weld.ts';

describe('weld', () => {
  test('vertices on the same place are one point, numbered by the first', () => {
    //                  a        b        a again   −0 is 0
    const positions = [0, 0, 1, 1, 0, 0, 0, 0, 1, -0, 0, 1];
    const weld = weldVertices(Float32Array.from(positions));
    expect(weld.pointCount).toBe(2);
    expect([...weld.vertexPoint]).toEqual([0, 1, 0, 0]);
    expect([...weld.pointVertex]).toEqual([0, 1]);
  });

  test('every vertex keeps its own place, and no two points share one', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(3), fc.nat(3), fc.nat(3)), { minLength: 1, maxLength: 60 }),
        (places) => {
          const positions = Float32Array.from(places.flat());
          const { pointCount, vertexPoint, pointVertex } = weldVertices(positions);
          expect(pointCount).toBe(new Set(places.map(String)).size);
          vertexPoint.forEach((point, v) => expect(places[pointVertex[point]]).toEqual(places[v]));
        },
      ),
    );
  });
});

describe('quads', () => {
  test('a triangulated grid comes back as its quads', () => {
    const { positions, triangles } = grid(3, 2);
    const { offsets, points } = recoverQuads(triangles, positions);
    expect(offsets.length - 1).toBe(6);
    expect([...points.subarray(0, 4)].sort()).toEqual([0, 1, 4, 5]);
  });

  test('a lone triangle stays one; a needle with two equal corners is left out', () => {
    const positions = Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0]);
    const { offsets, points } = recoverQuads(Uint32Array.from([0, 1, 2, 1, 1, 2]), positions);
    expect([...offsets]).toEqual([0, 3]);
    expect([...points]).toEqual([0, 1, 2]);
  });

  test('two triangles folded onto each other are no quad', () => {
    //      2 and 3 lie on the same side of the edge 0–1, a sharp fold
    const positions = Float32Array.from([0, 0, 0, 1, 0, 0, 0.5, 1, 0, 0.5, 1, 0.1]);
    const { offsets } = recoverQuads(Uint32Array.from([0, 1, 2, 1, 0, 3]), positions);
    expect(offsets.length - 1).toBe(2);
  });

  test('an edge with three triangles is no diagonal', () => {
    const positions = Float32Array.from([0, 0, 0, 1, 0, 0, 0.5, 1, 0, 0.5, -1, 0, 0.5, 0, 1]);
    const { offsets } = recoverQuads(Uint32Array.from([0, 1, 2, 1, 0, 3, 0, 1, 4]), positions);
    expect(offsets.length - 1).toBe(3);
  });

  test('every triangle of the file is in exactly one polygon', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 6 }),
        fc.integer({ min: 1, max: 6 }),
        fc.nat(1000),
        (columns, lines, seed) => {
          const { positions, triangles } = grid(columns, lines);
          for (let i = 2; i < positions.length; i += 3) positions[i] = ((i * 7919 + seed) % 13) / 26;
          const { offsets } = recoverQuads(triangles, positions);
          let covered = 0;
          for (let p = 0; p + 1 < offsets.length; p++) covered += offsets[p + 1] - offsets[p] - 2;
          expect(covered).toBe(triangles.length / 3);
        },
      ),
    );
  });
});

describe('neighbours', () => {
  const { positions, triangles } = grid(2, 2);
  const neighbours = findNeighbours(recoverQuads(triangles, positions), 9);

  test('run along quad edges, not across them', () => {
    const of = (p: number): number[] =>
      [...neighbours.points.subarray(neighbours.offsets[p], neighbours.offsets[p + 1])].sort();
    expect(of(4)).toEqual([1, 3, 5, 7]);
    expect(of(0)).toEqual([1, 3]);
  });

  test('every edge is listed once: a 2×2 grid has twelve', () => {
    const edges = listEdges(neighbours);
    expect(edges.length / 2).toBe(12);
    const keys = new Set(Array.from({ length: 12 }, (_, e) => `${edges[e * 2]}-${edges[e * 2 + 1]}`));
    expect(keys.size).toBe(12);
  });

  test('islands count connected pieces and leave loose points out', () => {
    const two = Uint32Array.from([0, 1, 2, 3, 4, 5]);
    const found = findIslands(findNeighbours({ offsets: Uint32Array.from([0, 3, 6]), points: two }, 7));
    expect(found.count).toBe(2);
    expect([...found.ofPoint]).toEqual([0, 0, 0, 1, 1, 1, -1]);
  });
});
