import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { apply, DeltaBuilder, type Change } from '../../weights/delta.ts';
import { copyRows, createRows, influencesOf, rowSum, weightOf, type WeightRows } from '../../weights/rows.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import type { RewriteRules } from '../../weights/rewritePoints.ts';
import { mixBindings } from './mixBindings.ts';

const free = { locks: new Uint8Array(4), limit: 4 };
const pick = (...joints: number[]): Uint8Array =>
  Uint8Array.from({ length: 4 }, (_, j) => (joints.includes(j) ? 1 : 0));

/** The change from some rows to others. */
function changeTo(before: WeightRows, after: WeightRows): Change {
  const builder = new DeltaBuilder(0, before.stride, before.pointCount);
  for (let p = 0; p < before.pointCount; p++) builder.push(p, before, p, after, p);
  const delta = builder.finish();
  return delta.points.length > 0 ? [delta] : [];
}

function mixed(
  before: WeightRows,
  main: WeightRows,
  other: WeightRows,
  joints: Uint8Array,
  rules: RewriteRules = free,
) {
  const rows = copyRows(before);
  const mixture = { main: changeTo(before, main), other: changeTo(before, other), joints };
  apply([rows], mixBindings([before], mixture, rules));
  return rows;
}

describe('two bindings in one', () => {
  //  point     main            other
  //  0      all joint 0     half 0, half 1
  //  1      .8 of 1         all joint 2
  //  2      all joint 3     all joint 3
  //  3      all joint 0     .2 of 1, .8 of 0
  const before = createRows(4);
  const main = rowsFrom([{ 0: 1 }, { 1: 0.8, 0: 0.2 }, { 3: 1 }, { 0: 1 }]);
  const other = rowsFrom([{ 0: 0.5, 1: 0.5 }, { 2: 1 }, { 3: 1 }, { 0: 0.8, 1: 0.2 }]);

  test('the chosen joint is as in the other, what it does not touch as in the first', () => {
    const rows = mixed(before, main, other, pick(1));
    expect(influencesOf(rows, 0)).toEqual(influencesOf(other, 0));
    expect(influencesOf(rows, 1)).toEqual([{ joint: 2, weight: 1 }]);
    expect(influencesOf(rows, 2)).toEqual([{ joint: 3, weight: 1 }]);
    // A fifth of the joint: two fifths of the way from the first to the other.
    expect(weightOf(rows, 3, 1)).toBeCloseTo(0.08, 6);
    expect(weightOf(rows, 3, 0)).toBeCloseTo(0.92, 6);
  });

  test('of no joint it is the first, of all joints the other', () => {
    expect(mixed(before, main, other, pick())).toEqual(mixed(before, main, main, pick()));
    expect(mixed(before, main, other, pick(0, 1, 2, 3)).values).toEqual(other.values);
  });

  test('locked joints keep what they have', () => {
    const held = rowsFrom(Array.from({ length: 4 }, () => ({ 0: 0.7, 1: 0.3 })));
    const rows = mixed(held, main, other, pick(1), { locks: pick(1), limit: 4 });
    for (let p = 0; p < 4; p++) {
      expect(weightOf(rows, p, 1)).toBe(weightOf(held, p, 1));
      expect(rowSum(rows, p)).toBeCloseTo(1, 6);
    }
  });

  test('property: every row sums to one and keeps to the limit; what both agree on stays', () => {
    const row = fc
      .uniqueArray(fc.integer({ min: 0, max: 3 }), { minLength: 1, maxLength: 4 })
      .chain((joints) =>
        fc
          .array(fc.integer({ min: 1, max: 9 }), { minLength: joints.length, maxLength: joints.length })
          .map((parts) => {
            const sum = parts.reduce((a, b) => a + b, 0);
            return Object.fromEntries(joints.map((joint, i) => [joint, parts[i] / sum]));
          }),
      );
    const many = fc.array(row, { minLength: 5, maxLength: 5 });
    fc.assert(
      fc.property(many, many, fc.uint8Array({ minLength: 4, maxLength: 4, max: 1 }), (a, b, joints) => {
        const [first, second] = [rowsFrom(a), rowsFrom(b)];
        const rows = mixed(createRows(5), first, second, joints, { ...free, limit: 2 });
        for (let p = 0; p < 5; p++) {
          expect(rowSum(rows, p)).toBeCloseTo(1, 6);
          expect(influencesOf(rows, p).length).toBeLessThanOrEqual(2);
        }
        const whole = mixed(createRows(5), first, first, joints);
        for (let p = 0; p < 5; p++)
          for (let joint = 0; joint < 4; joint++)
            expect(weightOf(whole, p, joint)).toBeCloseTo(weightOf(first, p, joint), 5);
      }),
      { numRuns: 60 },
    );
  });
});
