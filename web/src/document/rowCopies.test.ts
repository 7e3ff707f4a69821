import { expect, test } from '@jest/globals';
import { createRows } from '@judoka/core/weights';
import { RowCopies } from './rowCopies.ts';

test('copies say what the rows say, do not follow them, and their memory is used again', () => {
  const rows = [createRows(3), createRows(2)];
  rows[0].values[0] = 1;
  const copies = new RowCopies();
  const first = copies.of(rows);
  rows[0].values[0] = 0.5;
  expect(first.rows[0].values[0]).toBe(1);
  expect(first.buffers).toHaveLength(4);
  // While they are away there are others.
  const second = copies.of(rows);
  expect(second.rows[0].values.buffer).not.toBe(first.rows[0].values.buffer);
  copies.giveBack(first.rows);
  const third = copies.of(rows);
  expect(third.rows[0].values.buffer).toBe(first.rows[0].values.buffer);
  expect(third.rows[0].values[0]).toBe(0.5);
});

test('memory of other parts is not taken', () => {
  const copies = new RowCopies();
  copies.giveBack([createRows(5)]);
  const { rows } = copies.of([createRows(3), createRows(2)]);
  expect(rows.map(({ values }) => values.length)).toEqual([24, 16]);
});
