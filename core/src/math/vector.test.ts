import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  add,
  cross,
  distance,
  dot,
  length,
  lerp,
  mirrored,
  normalize,
  placeAt,
  scale,
  subtract,
} from './vector.ts';

const number = fc.double({ min: -1e3, max: 1e3, noNaN: true });
const vector = fc.tuple(number, number, number);

describe('vectors', () => {
  test('a cross product is square to both and as long as the area between them', () => {
    fc.assert(
      fc.property(vector, vector, (a, b) => {
        const c = cross(a, b);
        const size = length(a) * length(b) * length(c) + 1;
        expect(Math.abs(dot(a, c)) / size).toBeLessThan(1e-9);
        expect(Math.abs(dot(b, c)) / size).toBeLessThan(1e-9);
        // Lagrange's identity.
        const square = length(a) ** 2 * length(b) ** 2;
        expect(Math.abs(length(c) ** 2 - (square - dot(a, b) ** 2))).toBeLessThanOrEqual(1e-9 * (square + 1));
      }),
    );
  });

  test('what is added can be taken away; a distance is the length of the difference', () => {
    fc.assert(
      fc.property(vector, vector, (a, b) => {
        subtract(add(a, b), b).forEach((x, k) => expect(x).toBeCloseTo(a[k], 9));
        expect(distance(a, b)).toBeCloseTo(length(subtract(a, b)), 9);
        expect(distance(a, b)).toBe(distance(b, a));
      }),
    );
  });

  test('between two places: the ends at 0 and 1, half way the same distance from both', () => {
    fc.assert(
      fc.property(vector, vector, (a, b) => {
        lerp(a, b, 0).forEach((x, k) => expect(x).toBeCloseTo(a[k], 9));
        lerp(a, b, 1).forEach((x, k) => expect(x).toBeCloseTo(b[k], 9));
        const middle = lerp(a, b, 0.5);
        expect(distance(a, middle)).toBeCloseTo(distance(b, middle), 6);
      }),
    );
  });

  test('normalized is of length one and points the same way; nothing stays nothing', () => {
    fc.assert(
      fc.property(vector, (a) => {
        fc.pre(length(a) > 1e-6);
        expect(length(normalize(a))).toBeCloseTo(1, 9);
        scale(normalize(a), length(a)).forEach((x, k) => expect(x).toBeCloseTo(a[k], 6));
      }),
    );
    expect(normalize([0, 0, 0])).toEqual([0, 0, 0]);
  });

  test('mirrored twice is where it was; a place is read out of a flat array', () => {
    expect(mirrored(mirrored([1, 2, 3]))).toEqual([1, 2, 3]);
    expect(mirrored([1, 2, 3])).toEqual([-1, 2, 3]);
    expect(placeAt(Float32Array.of(0, 0, 0, 4, 5, 6), 1)).toEqual([4, 5, 6]);
  });
});
