import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { rowsFrom } from '../testing/shapes.ts';
import { apply, DeltaBuilder, invert, isEmpty, type Change } from './delta.ts';
import { rebaseWeights, wantedRows } from './rebase.ts';
import { influencesOf, rowSum, weightOf, type WeightRows } from './rows.ts';

const NO_LOCKS = new Uint8Array(8);
const clone = (rows: WeightRows): WeightRows => ({
  ...rows,
  joints: rows.joints.slice(),
  values: rows.values.slice(),
});

function difference(before: WeightRows, after: WeightRows): Change {
  const builder = new DeltaBuilder(0, before.stride, before.pointCount);
  for (let p = 0; p < before.pointCount; p++) builder.push(p, before, p, after, p);
  return [builder.finish()];
}

type Row = Partial<Record<number, number>>;

/** What becomes of one point that I changed from `was` to `mine` while others made it `theirs`. */
function settle(was: Row, mine: Row, theirs: Row, locks = NO_LOCKS) {
  const rows = rowsFrom([theirs]);
  const rebased = rebaseWeights([rows], difference(rowsFrom([was]), rowsFrom([mine])), locks);
  apply([rows], rebased.change);
  return {
    ...rebased,
    row: Object.fromEntries(influencesOf(rows, 0).map(({ joint, weight }) => [joint, weight])),
  };
}

describe('one point that both changed', () => {
  test('who moves weight between other joints keeps out of the way', () => {
    const { row, overlapping, notTaken } = settle(
      { 0: 0.5, 1: 0.5 },
      { 0: 0.3, 1: 0.5, 2: 0.2 },
      { 0: 0.5, 1: 0.3, 3: 0.2 },
    );
    expect(row[0]).toBeCloseTo(0.3, 6);
    expect(row[1]).toBeCloseTo(0.3, 6);
    expect(row[2]).toBeCloseTo(0.2, 6);
    expect(row[3]).toBeCloseTo(0.2, 6);
    expect(overlapping).toBe(1);
    expect(isEmpty(notTaken)).toBe(true);
  });

  test('taking mine back leaves what they painted since', () => {
    const { row } = settle({ 0: 0.5, 1: 0.5 }, { 0: 0.8, 1: 0.2 }, { 0: 0.4, 1: 0.4, 2: 0.2 });
    expect(row[0]).toBeCloseTo(0.7, 6);
    expect(row[1]).toBeCloseTo(0.1, 6);
    expect(row[2]).toBeCloseTo(0.2, 6);
  });

  test('what is not there any more cannot be moved: told, with what was wanted', () => {
    const { row, notTaken } = settle({ 0: 1 }, { 1: 1 }, { 2: 1 });
    expect(row).toEqual({ 2: 1 });
    expect([...notTaken[0].points]).toEqual([0]);
    expect(weightOf(notTaken[0].after, 0, 1)).toBe(1);
    expect(weightOf(notTaken[0].before, 0, 2)).toBe(1);
  });

  test('a joint that was locked meanwhile keeps its weight', () => {
    const locks = Uint8Array.from([0, 0, 1]);
    const { row } = settle({ 0: 0.5, 2: 0.5 }, { 0: 0.9, 2: 0.1 }, { 0: 0.4, 1: 0.1, 2: 0.5 }, locks);
    expect(row[2]).toBe(0.5);
  });

  test('an empty row gives way to one that is not', () => {
    expect(settle({}, { 1: 1 }, { 2: 1 }).row).toEqual({ 1: 1 });
    const emptied = settle({ 0: 1 }, {}, { 2: 1 });
    expect(emptied.row).toEqual({ 2: 1 });
    expect(isEmpty(emptied.notTaken)).toBe(false);
  });
});

const row = fc
  .dictionary(fc.constantFrom('0', '1', '2', '3', '4'), fc.integer({ min: 1, max: 9 }), {
    minKeys: 1,
    maxKeys: 4,
  })
  .map((raw): Row => {
    const sum = Object.values(raw).reduce((total, w) => total + w, 0);
    return Object.fromEntries(Object.entries(raw).map(([joint, w]) => [joint, w / sum]));
  });
const rows = fc.array(row, { minLength: 6, maxLength: 6 }).map((points) => rowsFrom(points));

test('of several changes at the same points the last one’s row is what was wanted, once', () => {
  const made = (was: readonly Row[], mine: readonly Row[]) => difference(rowsFrom(was), rowsFrom(mine));
  const first = made([{ 0: 1 }, { 0: 1 }], [{ 1: 1 }, { 1: 1 }]);
  const second = made([{ 1: 1 }, { 1: 1 }], [{ 1: 1 }, { 3: 1 }]);
  const rows = rowsFrom([{ 2: 1 }, { 2: 1 }]);
  const lost = [first, second].flatMap((change) => {
    const rebased = rebaseWeights([rows], change, NO_LOCKS);
    apply([rows], rebased.change);
    return [...rebased.notTaken];
  });
  const [wanted, ...more] = wantedRows(lost, [...first, ...second]);
  expect(more).toEqual([]);
  expect([...wanted.points]).toEqual([0, 1]);
  expect([weightOf(wanted.after, 0, 1), weightOf(wanted.after, 1, 3)]).toEqual([1, 1]);
});

describe('any rows', () => {
  test('on the rows it was made on, a change stays as it is', () => {
    fc.assert(
      fc.property(rows, rows, (before, after) => {
        const change = difference(before, after);
        expect(rebaseWeights([before], change, NO_LOCKS).change).toEqual(isEmpty(change) ? [] : change);
      }),
    );
  });

  test('what comes out is rows that sum to one, and can be taken back to the bit', () => {
    fc.assert(
      fc.property(rows, rows, rows, (before, mine, theirs) => {
        const { change } = rebaseWeights([theirs], difference(before, mine), NO_LOCKS);
        const held = clone(theirs);
        apply([held], change);
        for (let p = 0; p < 6; p++) expect(Math.abs(rowSum(held, p) - 1)).toBeLessThan(1e-5);
        apply([held], invert(change));
        expect(held).toEqual(theirs);
      }),
    );
  });
});
