import { expect, test } from '@jest/globals';
import { rowsFrom } from '../../testing/shapes.ts';
import { MixedRow } from './mixedRow.ts';
import { Slopes } from './slopes.ts';

// A strip of squares along x, in which joint 1 grows with the square of the place.
const LENGTH = 8;
const WIDTH = 3;
const positions = new Float32Array(LENGTH * WIDTH * 3);
const triangles: number[] = [];
for (let x = 0; x < LENGTH; x++)
  for (let y = 0; y < WIDTH; y++) {
    const p = x * WIDTH + y;
    positions.set([x, y, 0], p * 3);
    if (x + 1 < LENGTH && y + 1 < WIDTH) triangles.push(p, p + WIDTH, p + 1, p + 1, p + WIDTH, p + WIDTH + 1);
  }
const weight = (x: number): number => (x / LENGTH) ** 2;
const rows = rowsFrom(
  Array.from({ length: LENGTH * WIDTH }, (_, p) => {
    const share = weight(Math.floor(p / WIDTH));
    return { 0: 1 - share, 1: share };
  }),
);
const slopes = new Slopes({
  positions,
  triangles: Uint32Array.from(triangles),
  rows: (point) => [rows, point],
});

test('a weight that grows with the square of the place comes out as it is between the points', () => {
  for (const [from, share] of [
    [2, 0.5],
    [3, 0.25],
    [4, 0.9],
  ]) {
    const [low, high] = [from * WIDTH + 1, (from + 1) * WIDTH + 1];
    const straight = weight(from) * (1 - share) + weight(from + 1) * share;
    const row = new MixedRow();
    row.add(0, 1 - straight);
    row.add(1, straight);
    slopes.add(low, (1 - share) / 2, share, 0, 0, row);
    slopes.add(high, share / 2, share - 1, 0, 0, row);
    expect(row.weights[1]).toBeCloseTo(weight(from + share), 4);
    expect(row.weights[0] + row.weights[1]).toBeCloseTo(1, 6);
  }
});

test('where all points follow the same, nothing is added', () => {
  const even = rowsFrom(Array.from({ length: LENGTH * WIDTH }, () => ({ 3: 1 })));
  const flat = new Slopes({
    positions,
    triangles: Uint32Array.from(triangles),
    rows: (point) => [even, point],
  });
  const row = new MixedRow();
  row.add(3, 1);
  flat.add(7, 1, 0.5, 0.5, 0, row);
  expect([row.joints, row.weights]).toEqual([[3], [1]]);
});
