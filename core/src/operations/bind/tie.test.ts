import { expect, test } from '@jest/globals';
import { rowsFrom } from '../../testing/shapes.ts';
import { apply, invert } from '../../weights/delta.ts';
import { weightOf } from '../../weights/rows.ts';
import { islandOf, tieToJoint } from './tie.ts';

test('points go to the joint whole, but for what locked joints hold; undo restores every bit', () => {
  const rows = rowsFrom([{ 0: 1 }, { 0: 0.25, 1: 0.75 }, {}, { 2: 1 }]);
  const before = { joints: rows.joints.slice(), values: rows.values.slice() };
  const delta = tieToJoint(0, rows, Uint32Array.of(0, 1, 2), 3, { locks: Uint8Array.of(0, 1, 0, 0) });
  apply([rows], [delta]);
  expect([0, 1, 2, 3].map((p) => weightOf(rows, p, 3))).toEqual([1, 0.25, 1, 0]);
  expect(weightOf(rows, 1, 1)).toBe(0.75);
  apply([rows], invert([delta]));
  expect(rows.joints).toEqual(before.joints);
  expect(rows.values).toEqual(before.values);
});

test('a locked joint takes nothing', () => {
  expect(() =>
    tieToJoint(0, rowsFrom([{ 0: 1 }]), Uint32Array.of(0), 1, { locks: Uint8Array.of(0, 1) }),
  ).toThrow(expect.objectContaining({ code: 'joint-locked' }));
});

test('an island is all that hangs together, and a loose point is one alone', () => {
  // 0 – 1 – 3, and 2 by itself.
  const neighbours = { offsets: Uint32Array.of(0, 1, 3, 3, 4), points: Uint32Array.of(1, 0, 3, 1) };
  expect([...islandOf(neighbours, 3)]).toEqual([0, 1, 3]);
  expect([...islandOf(neighbours, 2)]).toEqual([2]);
});
