import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { growMask, invertMask, islandsOfMask, listMask, maskOf, ringsFrom, shrinkMask } from './masks.ts';
import { computeNormals, normalizeAll } from './normals.ts';
import { findIslands, findNeighbours, listEdges } from './topology.ts';
import { weldVertices } from './weld.ts';

const SIDE = 6;
/** A sheet of quads, SIDE × SIDE points, and beside it a loose one. */
function sheet() {
  const quads: number[] = [];
  for (let y = 0; y + 1 < SIDE; y++)
    for (let x = 0; x + 1 < SIDE; x++) {
      const a = y * SIDE + x;
      quads.push(a, a + 1, a + SIDE + 1, a + SIDE);
    }
  const loose = SIDE * SIDE;
  quads.push(loose, loose + 1, loose + 2, loose + 3);
  const offsets = Uint32Array.from({ length: quads.length / 4 + 1 }, (_, i) => i * 4);
  return { polygons: { offsets, points: Uint32Array.from(quads) }, count: loose + 4 };
}
const { polygons, count } = sheet();
const neighbours = findNeighbours(polygons, count);
const masks = fc
  .uniqueArray(fc.integer({ min: 0, max: count - 1 }), { maxLength: count })
  .map((points) => maskOf(points, count));

describe('masks of points', () => {
  test('list and mask say the same; inverted twice is as before', () => {
    fc.assert(
      fc.property(masks, (mask) => {
        expect(maskOf(listMask(mask), count)).toEqual(mask);
        expect(invertMask(invertMask(mask))).toEqual(mask);
        expect(listMask(mask).length + listMask(invertMask(mask)).length).toBe(count);
      }),
    );
  });

  test('growing takes in just the neighbours; shrinking is growing of the rest', () => {
    fc.assert(
      fc.property(masks, (mask) => {
        const grown = growMask(neighbours, mask);
        for (let p = 0; p < count; p++) {
          const { offsets, points } = neighbours;
          const beside = [...points.subarray(offsets[p], offsets[p + 1])].some((q) => mask[q]);
          expect(grown[p] === 1).toBe(mask[p] === 1 || beside);
        }
        expect(shrinkMask(neighbours, mask)).toEqual(invertMask(growMask(neighbours, invertMask(mask))));
      }),
    );
  });

  test('islands are what growing for ever comes to', () => {
    fc.assert(
      fc.property(masks, (mask) => {
        let grown = mask;
        for (let i = 0; i < count; i++) grown = growMask(neighbours, grown);
        expect(islandsOfMask(neighbours, mask)).toEqual(grown);
      }),
    );
  });

  test('rings count edges from the mask; where it does not reach they say so', () => {
    const rings = ringsFrom(neighbours, maskOf([0], count), 4);
    for (let p = 0; p < SIDE * SIDE; p++)
      expect(rings[p]).toBe(Math.min(5, (p % SIDE) + Math.floor(p / SIDE)));
    expect(rings[SIDE * SIDE]).toBe(5);
  });
});

describe('topology', () => {
  test('every edge once, in both neighbours’ rows', () => {
    const edges = listEdges(neighbours);
    const inside = 2 * SIDE * (SIDE - 1);
    expect(edges.length / 2).toBe(inside + 4);
    const seen = new Set<string>();
    for (let e = 0; e < edges.length; e += 2) {
      expect(edges[e]).toBeLessThan(edges[e + 1]);
      seen.add(`${edges[e]},${edges[e + 1]}`);
    }
    expect(seen.size).toBe(edges.length / 2);
  });

  test('islands are numbered by size of their first point, and loose points belong to none', () => {
    const { count: islands, ofPoint } = findIslands(findNeighbours(polygons, count + 2));
    expect(islands).toBe(2);
    expect(new Set(ofPoint.subarray(0, SIDE * SIDE)).size).toBe(1);
    expect(ofPoint[SIDE * SIDE]).not.toBe(ofPoint[0]);
    expect([...ofPoint.subarray(count)]).toEqual([-1, -1]);
  });
});

describe('welding', () => {
  const place = fc.tuple(
    fc.integer({ min: 0, max: 4 }),
    fc.integer({ min: 0, max: 4 }),
    fc.integer({ min: 0, max: 2 }),
  );

  test('vertices in one place are one point, and only those', () => {
    fc.assert(
      fc.property(fc.array(place, { maxLength: 60 }), (places) => {
        const positions = Float32Array.from(places.flat());
        const { pointCount, vertexPoint, pointVertex } = weldVertices(positions);
        const distinct = new Set(places.map(String));
        expect(pointCount).toBe(distinct.size);
        places.forEach((one, i) => {
          places.forEach((other, j) =>
            expect(vertexPoint[i] === vertexPoint[j]).toBe(String(one) === String(other)),
          );
          expect(pointVertex[vertexPoint[i]]).toBeLessThanOrEqual(i);
        });
      }),
    );
  });

  test('zero with a sign is the same place', () => {
    expect(weldVertices(Float32Array.of(0, 0, 0, -0, 0, -0)).pointCount).toBe(1);
  });
});

describe('normals', () => {
  test('of a sheet in a plane all look out of it; a point without faces has none', () => {
    const positions = Float32Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 5, 5, 5);
    const normals = computeNormals(positions, Uint32Array.of(0, 1, 2, 0, 2, 3));
    for (let p = 0; p < 4; p++) expect([...normals.subarray(p * 3, p * 3 + 3)]).toEqual([0, 0, 1]);
    expect([...normals.subarray(12, 15)]).toEqual([0, 0, 0]);
  });

  test('what cannot be made of length one is nothing, never no number', () => {
    const vectors = Float32Array.of(3, 4, 0, 0, 0, 0, NaN, 1, 0);
    normalizeAll(vectors);
    expect([...vectors.subarray(0, 2)].map((x) => Math.round(x * 10) / 10)).toEqual([0.6, 0.8]);
    expect(vectors.every(Number.isFinite)).toBe(true);
  });
});
