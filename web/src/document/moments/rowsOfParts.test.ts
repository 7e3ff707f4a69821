import { expect, test } from '@jest/globals';
import { createRows } from '@judoka/core/weights';
import { rowsOfParts } from './rowsOfParts.ts';

const part = (role: 'skinned' | 'cage', pointCount: number) => ({
  part: { role },
  rows: createRows(pointCount),
});

test('a cage that was not there then, or was another one, has what it has now; others have what they had', () => {
  const now = [part('skinned', 3), part('cage', 8), part('cage', 6)];
  now[1].rows.values[0] = 1;
  const then = [createRows(5), createRows(7)];
  const found = rowsOfParts(now, then);
  expect(found[0]).toBe(then[0]);
  expect(found.map(({ pointCount }) => pointCount)).toEqual([5, 8, 6]);
  expect(found[1]).toEqual(now[1].rows);
  expect(found[1]).not.toBe(now[1].rows);
  // More cages were there than are now.
  expect(rowsOfParts(now.slice(0, 1), then)).toEqual([then[0]]);
  expect(rowsOfParts(now.slice(0, 2), [createRows(3), createRows(8)])[1].values[0]).toBe(0);
});
