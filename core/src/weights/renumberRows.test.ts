import { expect, test } from '@jest/globals';
import { rowsFrom } from '../testing/shapes.ts';
import { renumberRows } from './renumberRows.ts';
import { rowSum, weightOf } from './rows.ts';

const rows = rowsFrom([{ 0: 0.6, 3: 0.4 }, { 2: 0.5, 3: 0.3, 0: 0.2 }, {}]);

test('joints get their new numbers, those that become one are added up, and what goes leaves the rest summing to one', () => {
  const to = [5, -1, 4, 4];
  const moved = renumberRows(rows, (joint) => to[joint]);
  expect(weightOf(moved, 0, 5)).toBeCloseTo(0.6, 6);
  expect(weightOf(moved, 1, 4)).toBeCloseTo(0.8, 6);
  const without = renumberRows(rows, (joint) => (joint === 0 ? -1 : joint));
  expect(weightOf(without, 0, 3)).toBe(1);
  expect(rowSum(without, 1)).toBeCloseTo(1, 6);
  expect(rowSum(moved, 2)).toBe(0);
});

test('where all joints keep their numbers every bit is kept', () => {
  expect(renumberRows(rows, (joint) => joint)).toEqual(rows);
});
