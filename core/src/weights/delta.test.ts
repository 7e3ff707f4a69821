import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { rowsFrom } from '../testing/shapes.ts';
import {
  apply,
  compose,
  copyRow,
  DeltaBuilder,
  differingRows,
  invert,
  isEmpty,
  rowsEqual,
  type Change,
} from './delta.ts';
import { createRows, weightOf, type WeightRows } from './rows.ts';

const POINTS = 6;

function clone(rows: WeightRows): WeightRows {
  return { ...rows, joints: rows.joints.slice(), values: rows.values.slice() };
}

/** The change that makes `after` of `before`. */
function difference(before: WeightRows, after: WeightRows): Change {
  const builder = new DeltaBuilder(0, before.stride, before.pointCount);
  for (let p = 0; p < before.pointCount; p++) builder.push(p, before, p, after, p);
  return [builder.finish()];
}

const arbitraryRows = fc
  .array(fc.tuple(fc.nat(4), fc.double({ min: 0, max: 1, noNaN: true })), {
    minLength: POINTS,
    maxLength: POINTS,
  })
  .map((points) =>
    rowsFrom(points.map(([joint, w]) => ({ [joint]: Math.fround(1 - w), [joint + 1]: Math.fround(w) }))),
  );

describe('laws of changes', () => {
  test('apply, then the inverse, restores every bit', () => {
    fc.assert(
      fc.property(arbitraryRows, arbitraryRows, (a, b) => {
        const rows = clone(a);
        const change = difference(a, b);
        apply([rows], change);
        expect(rows.values).toEqual(b.values);
        apply([rows], invert(change));
        expect(rows.values).toEqual(a.values);
        expect(rows.joints).toEqual(a.joints);
      }),
    );
  });

  test('composing equals replaying', () => {
    fc.assert(
      fc.property(arbitraryRows, arbitraryRows, arbitraryRows, (a, b, c) => {
        const rows = clone(a);
        apply([rows], compose(difference(a, b), difference(b, c)));
        expect(rows.values).toEqual(c.values);
        expect(rows.joints).toEqual(c.joints);
      }),
    );
  });

  test('a change composed with its inverse is empty', () => {
    fc.assert(
      fc.property(arbitraryRows, arbitraryRows, (a, b) => {
        expect(isEmpty(compose(difference(a, b), invert(difference(a, b))))).toBe(true);
      }),
    );
  });
});

test('apply refuses a change made on other weights, and writes nothing', () => {
  const a = rowsFrom([{ 0: 1 }, { 0: 1 }]);
  const b = rowsFrom([{ 1: 1 }, { 1: 1 }]);
  const other = rowsFrom([{ 0: 1 }, { 2: 1 }]);
  expect(() => apply([other], difference(a, b))).toThrow(expect.objectContaining({ code: 'delta-mismatch' }));
  expect(weightOf(other, 0, 0)).toBe(1);
});

test('points that end as they began are left out', () => {
  const a = rowsFrom([{ 0: 1 }, { 1: 1 }]);
  expect(isEmpty(difference(a, clone(a)))).toBe(true);
});

test('rows of different stride can be copied', () => {
  const wide = rowsFrom([{ 0: 0.5, 1: 0.5 }], 12);
  const narrow = createRows(1, 4);
  copyRow(wide, 0, narrow, 0);
  expect(weightOf(narrow, 0, 1)).toBe(0.5);
});

test('rows that differ are told one by one and all at once alike, whatever their strides', () => {
  fc.assert(
    fc.property(arbitraryRows, arbitraryRows, fc.constantFrom(8, 12), (a, b, stride) => {
      const wide = createRows(POINTS, stride);
      for (let p = 0; p < POINTS; p++) copyRow(p % 2 === 0 ? a : b, p, wide, p);
      const each = Array.from({ length: POINTS }, (_, p) => (rowsEqual(a, p, wide, p) ? 0 : 1));
      expect([...differingRows(a, wide)]).toEqual(each);
    }),
  );
});
