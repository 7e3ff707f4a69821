import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { recoverQuads } from '../../mesh/quads.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { grid, rowsFrom } from '../../testing/shapes.ts';
import { skeletonOf } from '../../testing/testBody.ts';
import { apply, compose, type Change } from '../../weights/delta.ts';
import { rewritePoints } from '../../weights/rewritePoints.ts';
import {
  copyRows,
  createRows,
  influenceCount,
  rowSum,
  weightOf,
  type WeightRows,
} from '../../weights/rows.ts';
import { bringBack, type BringBackRequest } from './bringBack.ts';
import { readPastRows } from './pastRows.ts';

const JOINTS = 6;
const sheet = grid(6, 4);
const pointCount = sheet.positions.length / 3;
const neighbours = findNeighbours(recoverQuads(sheet.triangles, sheet.positions), pointCount);
const NO_LOCKS = new Uint8Array(JOINTS);

const someRows = fc
  .array(
    fc.uniqueArray(fc.tuple(fc.nat(JOINTS - 1), fc.integer({ min: 1, max: 40 })), {
      selector: ([joint]) => joint,
      minLength: 1,
      maxLength: 4,
    }),
    { minLength: pointCount, maxLength: pointCount },
  )
  .map((wanted) => {
    const rows = createRows(pointCount);
    const points = Uint32Array.from(wanted.keys());
    const { delta } = rewritePoints(0, rows, points, { locks: NO_LOCKS, limit: 8 }, (p, c) => {
      for (const [joint, value] of wanted[p]) {
        c.joints[c.count] = joint;
        c.values[c.count++] = value;
      }
    });
    apply([rows], [delta]);
    return rows;
  });
const somePoints = fc
  .uniqueArray(fc.nat(pointCount - 1), { minLength: 1 })
  .map((list) => Uint32Array.from(list).sort());
const someLocks = fc.uint8Array({ minLength: JOINTS, maxLength: JOINTS, max: 1 });

const back = (now: WeightRows, past: WeightRows, request: Partial<BringBackRequest> = {}) =>
  bringBack([now], {
    ...{ past: [past], amount: 1, border: 0, neighbours: [neighbours], locks: NO_LOCKS, limit: 8 },
    ...request,
  });
const after = (rows: WeightRows, change: Change): WeightRows => {
  const copy = copyRows(rows);
  apply([copy], change);
  return copy;
};
const everywhere = (row: Readonly<Record<number, number>>): WeightRows =>
  rowsFrom(Array.from({ length: pointCount }, () => row));
const only = (points: Uint32Array) => ({ points: new Map([[0, points]]) });

describe('bringing weights back', () => {
  test('all of it gives the moment to the bit; nothing is left to bring back then', () => {
    fc.assert(
      fc.property(someRows, someRows, (now, past) => {
        const returned = after(now, back(now, past).change);
        expect(returned).toEqual(past);
        expect(back(returned, past).change).toEqual([]);
      }),
    );
  });

  test('of two regions that share no point comes to the same in either order, and as both at once', () => {
    fc.assert(
      fc.property(someRows, someRows, somePoints, somePoints, (now, past, a, b) => {
        const rest = b.filter((p) => !a.includes(p));
        fc.pre(rest.length > 0);
        const first = back(now, past, only(a)).change;
        const thenB = compose(first, back(after(now, first), past, only(rest)).change);
        const second = back(now, past, only(rest)).change;
        const thenA = compose(second, back(after(now, second), past, only(a)).change);
        const both = back(now, past, only(Uint32Array.from([...a, ...rest]).sort())).change;
        expect(thenA).toEqual(thenB);
        expect(after(now, both)).toEqual(after(now, thenA));
      }),
    );
  });

  test('what is not asked for stays, locked joints too, and sums stay one', () => {
    const amounts = fc.double({ min: 0.05, max: 1, noNaN: true });
    const joints = fc.option(fc.uniqueArray(fc.nat(JOINTS - 1), { minLength: 1 }), { nil: undefined });
    fc.assert(
      fc.property(
        someRows,
        someRows,
        somePoints,
        someLocks,
        amounts,
        joints,
        (now, past, points, locks, amount, chosen) => {
          const { change } = back(now, past, { ...only(points), locks, amount, joints: chosen });
          const returned = after(now, change);
          for (let p = 0; p < pointCount; p++) {
            expect(rowSum(returned, p)).toBeCloseTo(1, 5);
            for (let j = 0; j < JOINTS; j++)
              if (locks[j] || !points.includes(p)) expect(weightOf(returned, p, j)).toBe(weightOf(now, p, j));
          }
        },
      ),
    );
  });

  test('of one joint, half way, the others sharing the rest as they do now', () => {
    const [now, past] = [createRows(pointCount), createRows(pointCount)];
    for (let p = 0; p < pointCount; p++) {
      now.joints.set([0, 1, 2], p * 8);
      now.values.set([0.5, 0.3, 0.2], p * 8);
      past.joints.set([1, 3], p * 8);
      past.values.set([0.7, 0.3], p * 8);
    }
    const rows = after(now, back(now, past, { ...only(Uint32Array.of(4)), joints: [1], amount: 0.5 }).change);
    expect(weightOf(rows, 4, 1)).toBeCloseTo(0.5, 6);
    expect(weightOf(rows, 4, 0)).toBeCloseTo((0.5 * 0.5) / 0.7, 6);
    expect(weightOf(rows, 4, 3)).toBe(0);
    expect(weightOf(rows, 5, 1)).toBe(now.values[1]);
  });

  test('fades out over the rings of a soft border', () => {
    const now = everywhere({ 0: 1 });
    const past = everywhere({ 2: 1 });
    const corner = Uint32Array.of(0);
    const rows = after(now, back(now, past, { ...only(corner), border: 3 }).change);
    const along = [0, 1, 2, 3, 4].map((x) => weightOf(rows, x, 2));
    expect(along[0]).toBe(1);
    expect(along[4]).toBe(0);
    for (let x = 1; x < 4; x++) {
      expect(along[x]).toBeLessThan(along[x - 1]);
      expect(along[x]).toBeGreaterThan(0);
    }
  });

  test('keeps to the limit of influences and says where it cost something', () => {
    const now = everywhere({ 0: 1 });
    const past = everywhere({ 1: 0.4, 2: 0.3, 3: 0.2, 4: 0.1 });
    const { change, report } = back(now, past, { ...only(Uint32Array.of(3, 7)), limit: 3 });
    expect(report.dropped.get(0)).toEqual(Uint32Array.of(3, 7));
    const rows = after(now, change);
    expect(influenceCount(rows, 3)).toBe(3);
    expect(weightOf(rows, 3, 4)).toBe(0);
  });

  test.each([
    ['other points', { past: [createRows(3)] }],
    ['no amount', { amount: 0 }],
    ['a border of halves', { border: 1.5 }],
    ['nothing selected', { points: new Map<number, Uint32Array>() }],
    ['no joint', { joints: [] }],
  ])('%s is refused', (_, request) => {
    const rows = createRows(pointCount);
    expect(() => back(rows, rows, request)).toThrow(/other points|amount|rings|Select|Choose/);
  });
});

describe('rows of the past', () => {
  const past = skeletonOf([
    ['a', -1, [0, 0, 0]],
    ['b', 0, [0, 1, 0]],
    ['c', 1, [0, 2, 0]],
  ]);
  const without = (...gone: number[]): Skeleton => ({
    joints: past.joints.map((joint, j) => (gone.includes(j) ? { ...joint, removed: true as const } : joint)),
  });
  const rows = rowsFrom([{ 2: 0.6, 0: 0.4 }, { 0: 1 }]);

  test('are the same arrays while all joints are there', () => {
    const read = readPastRows([rows], past, past);
    expect(read.rows[0]).toBe(rows);
    expect(read.gone).toEqual([]);
  });

  test('have the weight of joints that are gone on what those hung on', () => {
    const one = readPastRows([rows], past, without(2));
    expect(weightOf(one.rows[0], 0, 1)).toBeCloseTo(0.6, 6);
    expect(one.gone).toEqual([{ joint: 2, to: 1, points: 1 }]);
    const two = readPastRows([rows], past, without(1, 2));
    expect(weightOf(two.rows[0], 0, 0)).toBeCloseTo(1, 6);
    expect(two.gone).toEqual([{ joint: 2, to: 0, points: 1 }]);
    // What was given is left alone.
    expect(weightOf(rows, 0, 2)).toBeCloseTo(0.6, 6);
  });
});
