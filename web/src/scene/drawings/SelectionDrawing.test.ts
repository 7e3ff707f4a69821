import { expect, test } from '@jest/globals';
import { rimOf } from './SelectionDrawing.ts';

// Three by three points, each square cut in two.
const triangles = Uint32Array.from([0, 1, 3, 4].flatMap((a) => [a, a + 1, a + 3, a + 1, a + 4, a + 3]));
const edges = (points: readonly number[]): string[] => {
  const rim = rimOf({ triangles, pointCount: 9 }, Uint32Array.from(points));
  return Array.from({ length: rim.length / 2 }, (_, i) =>
    [rim[2 * i], rim[2 * i + 1]].sort().join('–'),
  ).sort();
};

test('the rim of half a sheet is the line along which it ends', () => {
  expect(edges([0, 1, 2, 3, 4, 5])).toEqual(['3–4', '4–5']);
});

test('all, nothing and a single point have no rim', () => {
  expect(edges([])).toEqual([]);
  expect(edges([4])).toEqual([]);
  expect(edges([0, 1, 2, 3, 4, 5, 6, 7, 8])).toEqual([]);
});
