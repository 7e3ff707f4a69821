import { describe, expect, test } from '@jest/globals';
import { findBodyPlane } from './bodyPlane.ts';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** A cloud of points that stands in the scene as a matrix says. */
const cloud = (points: readonly (readonly number[])[], place = IDENTITY) => ({
  positions: Float32Array.from(points.flat()),
  pointCount: points.length,
  inverseBinds: Float32Array.from(place),
});

/** An animal along an axis: head at one end, tail at the other, legs below, alike on both sides of `middle`. */
function animal(across: 0 | 2, middle: number): number[][] {
  const along = across === 0 ? 2 : 0;
  const points: number[][] = [];
  const put = (side: number, up: number, forward: number): void => {
    for (const sign of [-1, 1]) {
      const point = [0, up, 0];
      point[across] = middle + sign * side;
      point[along] = forward;
      points.push(point);
    }
  };
  for (let i = 0; i < 60; i++) {
    put(0.6 + 0.2 * Math.sin(i), 2 + 0.3 * Math.cos(i * 0.7), i / 10);
    put(0.5, (i % 20) / 10, i < 30 ? 1 : 4.6);
    put(0.1, 2.4 + i / 80, 6 + i / 60);
  }
  return points;
}

describe('the plane that divides a body', () => {
  test.each([
    [0, 0],
    [0, 1.25],
    [2, -3],
  ] as const)('is found across axis %i about %d', (axis, middle) => {
    const found = findBodyPlane([cloud(animal(axis, middle))]);
    expect(found.axis).toBe(axis);
    expect(found.middle).toBeCloseTo(middle, 4);
    expect(found.share).toBeGreaterThan(0.95);
  });

  test('is where the body stands, whatever the units of the file', () => {
    const large = [0.01, 0, 0, 0, 0, 0.01, 0, 0, 0, 0, 0.01, 0, 7, 0, 0, 1];
    const found = findBodyPlane([
      cloud(
        animal(0, 0).map((p) => p.map((x) => x * 100)),
        large,
      ),
    ]);
    expect(found).toMatchObject({ axis: 0 });
    expect(found.middle).toBeCloseTo(7, 4);
  });

  test('is not moved by something that hangs on one side', () => {
    const body = animal(0, 0);
    const bag = Array.from({ length: 40 }, (_, i) => [1.5 + (i % 5) / 10, 1 + i / 80, 2]);
    const found = findBodyPlane([cloud(body), cloud(bag)]);
    expect(found.axis).toBe(0);
    expect(found.middle).toBeCloseTo(0, 4);
  });

  test('of a post that is alike all around leads across, not up', () => {
    const post = Array.from({ length: 240 }, (_, i) => [
      Math.cos(i * 0.7853981634),
      Math.floor(i / 8) / 4,
      Math.sin(i * 0.7853981634),
    ]);
    expect(findBodyPlane([cloud(post)]).axis).toBe(0);
  });

  test('of nothing is the x axis', () => {
    expect(findBodyPlane([])).toEqual({ axis: 0, middle: 0, share: 0 });
    expect(findBodyPlane([cloud([[3, 3, 3]])])).toMatchObject({ axis: 0 });
  });
});
