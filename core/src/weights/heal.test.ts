import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { findNeighbours } from '../mesh/topology.ts';
import { healUnweighted } from './heal.ts';
import { createRows, rowSum, weightOf, type WeightRows } from './rows.ts';

const LENGTH = 12;
/** A line of points, each with an edge to the next; point i stands at x = i. */
const line = findNeighbours(
  {
    offsets: Uint32Array.from({ length: LENGTH }, (_, i) => i * 2),
    points: Uint32Array.from({ length: (LENGTH - 1) * 2 }, (_, i) => Math.floor(i / 2) + (i % 2)),
  },
  LENGTH,
);
const alone = { offsets: new Uint32Array(LENGTH + 1), points: new Uint32Array(0) };
const positions = Float32Array.from({ length: LENGTH * 3 }, (_, i) => (i % 3 === 0 ? i / 3 : 0));

type Row = Readonly<Record<number, number>>;

function rowsWith(weights: ReadonlyMap<number, Row>): WeightRows {
  const rows = createRows(LENGTH);
  for (const [p, row] of weights)
    Object.entries(row)
      .sort((a, b) => b[1] - a[1])
      .forEach(([joint, weight], k) => {
        rows.joints[p * 8 + k] = Number(joint);
        rows.values[p * 8 + k] = weight;
      });
  return rows;
}

describe('points without weights', () => {
  test('between two joints the weight goes over from one to the other, never back', () => {
    const rows = rowsWith(
      new Map<number, Row>([
        [0, { 0: 1 }],
        [LENGTH - 1, { 1: 1 }],
      ]),
    );
    const healed = healUnweighted(rows, positions, line, 4);
    expect([...healed]).toEqual(Array.from({ length: LENGTH - 2 }, (_, i) => i + 1));
    for (let p = 1; p < LENGTH; p++)
      expect(weightOf(rows, p, 1)).toBeGreaterThanOrEqual(weightOf(rows, p - 1, 1) - 1e-6);
    for (let p = 0; p < LENGTH; p++) expect(rowSum(rows, p)).toBeCloseTo(1, 6);
  });

  test('those that have weights are not touched, to the bit', () => {
    fc.assert(
      fc.property(fc.uniqueArray(fc.integer({ min: 0, max: LENGTH - 1 }), { minLength: 1 }), (kept) => {
        const rows = rowsWith(new Map(kept.map((p) => [p, { [p % 3]: 0.75, 5: 0.25 }])));
        const before = { joints: rows.joints.slice(), values: rows.values.slice() };
        const healed = healUnweighted(rows, positions, line, 4);
        expect(healed).toHaveLength(LENGTH - kept.length);
        for (const p of kept) {
          expect(rows.values.subarray(p * 8, p * 8 + 8)).toEqual(before.values.subarray(p * 8, p * 8 + 8));
          expect(rows.joints.subarray(p * 8, p * 8 + 2)).toEqual(before.joints.subarray(p * 8, p * 8 + 2));
        }
        for (let p = 0; p < LENGTH; p++) expect(rowSum(rows, p)).toBeCloseTo(1, 5);
      }),
    );
  });

  test('an island without any takes those of the nearest point that has some', () => {
    const rows = rowsWith(
      new Map<number, Row>([
        [0, { 0: 1 }],
        [LENGTH - 1, { 1: 1 }],
      ]),
    );
    healUnweighted(rows, positions, alone, 4);
    expect(weightOf(rows, 2, 0)).toBe(1);
    expect(weightOf(rows, LENGTH - 3, 1)).toBe(1);
  });

  test('no more influences than allowed; nothing where nothing has weight', () => {
    const many = Object.fromEntries(Array.from({ length: 6 }, (_, joint) => [joint, 1 / 6]));
    const rows = rowsWith(new Map([[0, many]]));
    healUnweighted(rows, positions, line, 2);
    for (let p = 1; p < LENGTH; p++) {
      const row = rows.values.subarray(p * 8, p * 8 + 8);
      expect(row.filter((value) => value > 0).length).toBeLessThanOrEqual(2);
    }
    expect(healUnweighted(createRows(LENGTH), positions, line, 4)).toHaveLength(0);
  });
});
