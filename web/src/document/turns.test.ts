import { expect, test } from '@jest/globals';
import { apply, type Change, createRows, invert, type WeightRows } from '@judoka/core/weights';
import { isLarge, slicesOf } from './turns.ts';

test('the slices of a change do together what it does, and can be taken back', () => {
  const count = 50_000;
  const rowsOf = (joint: number): WeightRows => {
    const rows = createRows(count);
    for (let p = 0; p < count; p++) {
      rows.joints[p * 8] = joint;
      rows.values[p * 8] = 1;
    }
    return rows;
  };
  const points = Uint32Array.from({ length: count }, (_, p) => p);
  const change: Change = [{ part: 1, points, before: rowsOf(3), after: rowsOf(4) }];
  expect(isLarge(change)).toBe(true);
  expect(isLarge([{ ...change[0], points: points.subarray(0, 10) }])).toBe(false);
  const slices = [...slicesOf(change)];
  expect(slices.length).toBeGreaterThan(2);
  expect(slices.reduce((sum, slice) => sum + slice.points.length, 0)).toBe(count);
  const held = [createRows(1), rowsOf(3)];
  for (const slice of slices) apply(held, [slice]);
  expect(held[1]).toEqual(rowsOf(4));
  for (const slice of slicesOf(invert(change))) apply(held, [slice]);
  expect(held[1]).toEqual(rowsOf(3));
});
