import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { coordinatesInCage } from './coordinatesInCage.ts';
import { MeanValueCoordinates } from './meanValue.ts';

/** A cube from −1 to 1. */
const CUBE = {
  positions: Float32Array.from({ length: 24 }, (_, i) => ((Math.floor(i / 3) >> (i % 3)) & 1 ? 1 : -1)),
  triangles: Uint32Array.from([
    ...[0, 2, 3, 0, 3, 1, 4, 5, 7, 4, 7, 6, 0, 1, 5, 0, 5, 4],
    ...[2, 6, 7, 2, 7, 3, 0, 4, 6, 0, 6, 2, 1, 3, 7, 1, 7, 5],
  ]),
};

const coordinatesOf = (x: number, y: number, z: number, cage = CUBE): Float32Array => {
  const out = new Float32Array(cage.positions.length / 3);
  new MeanValueCoordinates(cage).write(x, y, z, out, 0);
  return out;
};

const sumOf = (coordinates: Float32Array, of: Float32Array): number[] =>
  [0, 1, 2].map((k) => coordinates.reduce((sum, share, p) => sum + share * of[p * 3 + k], 0));

describe('mean value coordinates', () => {
  test('are alike in the middle of a cube, and one at a corner', () => {
    // Each face is cut along one diagonal: not all corners have as many faces.
    const middle = coordinatesOf(0, 0, 0);
    for (let p = 0; p < 8; p++) expect(middle[p]).toBeCloseTo(middle[7 - p], 6);
    expect([...coordinatesOf(1, -1, 1)]).toEqual([0, 0, 0, 0, 0, 1, 0, 0]);
  });

  test('on a face they are the shares of its corners', () => {
    const found = coordinatesOf(-0.2, -0.6, -1);
    expect(found.filter((share) => share !== 0)).toHaveLength(3);
    expect(sumOf(found, CUBE.positions).map((x) => Math.round(1e5 * x) / 1e5)).toEqual([-0.2, -0.6, -1]);
  });

  test('sum to one, give back the place, within and without, and do any linear map', () => {
    const place = fc.double({ min: -1.6, max: 1.6, noNaN: true });
    const entry = fc.double({ min: -2, max: 2, noNaN: true });
    fc.assert(
      fc.property(place, place, place, fc.array(entry, { minLength: 12, maxLength: 12 }), (x, y, z, m) => {
        const found = coordinatesOf(x, y, z);
        expect(found.reduce((sum, share) => sum + share, 0)).toBeCloseTo(1, 4);
        const map = (a: number, b: number, c: number): number[] =>
          [0, 1, 2].map((k) => m[k] * a + m[k + 3] * b + m[k + 6] * c + m[k + 9]);
        const moved = Float32Array.from({ length: 8 }, (_, p) => p).reduce(
          (all, p) => [
            ...all,
            ...map(CUBE.positions[p * 3], CUBE.positions[p * 3 + 1], CUBE.positions[p * 3 + 2]),
          ],
          [] as number[],
        );
        const wanted = map(x, y, z);
        sumOf(found, Float32Array.from(moved)).forEach((at, k) =>
          expect(Math.abs(at - wanted[k])).toBeLessThan(2e-3),
        );
      }),
    );
  });

  test('within a convex cage none is negative, and they change by little from one place to the next', () => {
    const place = fc.double({ min: -0.98, max: 0.98, noNaN: true });
    fc.assert(
      fc.property(place, place, place, (x, y, z) => {
        const found = coordinatesOf(x, y, z);
        const near = coordinatesOf(x + 1e-3, y, z);
        found.forEach((share, p) => {
          expect(share).toBeGreaterThan(-1e-6);
          expect(Math.abs(near[p] - share)).toBeLessThan(0.02);
        });
      }),
    );
  });

  test('of many places at once are the same, also of those on a corner, an edge or a face', async () => {
    const at = fc.oneof(fc.double({ min: -1.6, max: 1.6, noNaN: true }), fc.constantFrom(-1, 0, 1));
    await fc.assert(
      fc.asyncProperty(fc.array(fc.tuple(at, at, at), { minLength: 1, maxLength: 140 }), async (list) => {
        const places = Float32Array.from(list.flat());
        const found = await coordinatesInCage(CUBE, places);
        for (let p = 0; p < list.length; p++) {
          const [x, y, z] = places.subarray(p * 3, p * 3 + 3);
          expect(found.subarray(p * 8, p * 8 + 8)).toEqual(coordinatesOf(x, y, z));
        }
      }),
    );
  });
});
