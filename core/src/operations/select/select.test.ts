import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { grid } from '../../testing/shapes.ts';
import { recoverQuads } from '../../mesh/quads.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import {
  growMask,
  invertMask,
  islandsOfMask,
  listMask,
  maskOf,
  ringsFrom,
  shrinkMask,
} from '../../mesh/masks.ts';
import { insideLine, projectPoints, seenPoints } from './screen.ts';

const SIDE = 6;
const { positions, triangles } = grid(SIDE, SIDE);
const part = { pointCount: positions.length / 3 };
const neighbours = findNeighbours(recoverQuads(triangles, positions), part.pointCount);

describe('masks', () => {
  const someMask = fc.uniqueArray(fc.integer({ min: 0, max: part.pointCount - 1 }));

  test('growing, then shrinking, loses nothing; a mask and its opposite are all points', () => {
    fc.assert(
      fc.property(someMask, (points) => {
        const mask = maskOf(points, part.pointCount);
        const closed = shrinkMask(neighbours, growMask(neighbours, mask));
        for (const p of points) expect(closed[p]).toBe(1);
        expect(listMask(mask).length + listMask(invertMask(mask)).length).toBe(part.pointCount);
        expect(shrinkMask(neighbours, mask)).toEqual(invertMask(growMask(neighbours, invertMask(mask))));
      }),
    );
  });

  test('rings count the growings that it takes', () => {
    fc.assert(
      fc.property(someMask, (points) => {
        let mask = maskOf(points, part.pointCount);
        const rings = ringsFrom(neighbours, mask, 3);
        for (let ring = 0; ring <= 3; ring++) {
          expect([...rings].map((r) => (r <= ring ? 1 : 0))).toEqual([...mask]);
          mask = growMask(neighbours, mask);
        }
      }),
    );
  });

  test('an island is taken whole from any of its points', () => {
    const all = islandsOfMask(neighbours, maskOf([7], part.pointCount));
    expect(listMask(all).length).toBe(part.pointCount);
    expect(listMask(islandsOfMask(neighbours, new Uint8Array(part.pointCount))).length).toBe(0);
  });
});

/** Looks along −z from z = 10, one cell a unit at distance one. */
const VIEW = { matrix: [0.1, 0, 0, 0, 0, 0.1, 0, 0, 0, 0, 0, -1, 0, 0, 0, 10], width: 100, height: 100 };
const SQUARE = Uint32Array.from([0, 1, 2, 0, 2, 3]);
const square = (half: number, z: number) => ({
  positions: Float32Array.from([-half, -half, z, half, -half, z, half, half, z, -half, half, z]),
  triangles: SQUARE,
});

describe('the picture', () => {
  test('a point falls where the matrix says, with its distance; behind the eye it falls nowhere', () => {
    const at = projectPoints(VIEW, Float32Array.from([0, 0, 0, 10, 0, 5, 0, 0, 11]));
    expect([...at.subarray(0, 3)]).toEqual([50, 50, 10]);
    expect(at[3]).toBeCloseTo(60, 4);
    expect(at[8]).toBe(Infinity);
  });

  test('what a nearer surface covers is not seen; what sticks out is', () => {
    const far = { ...square(20, 0), triangles: SQUARE };
    const [seenFar, seenNear] = seenPoints(VIEW, [
      { positions: Float32Array.from([...far.positions, 0, 0, 0]), triangles: SQUARE },
      square(5, 5),
    ]);
    expect([...seenFar]).toEqual([1, 1, 1, 1, 0]);
    expect([...seenNear]).toEqual([1, 1, 1, 1]);
  });

  test('a line with a notch leaves out what lies in the notch', () => {
    const line = Float32Array.from([0, 0, 10, 0, 10, 10, 5, 5, 0, 10]);
    const at = Float32Array.from([2, 2, 1, 5, 8, 1, 8, 8, 1, 20, 5, 1, 2, 2, Infinity]);
    expect([...insideLine(at, line)]).toEqual([1, 0, 1, 0, 0]);
  });
});
