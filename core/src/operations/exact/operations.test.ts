import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { recoverQuads } from '../../mesh/quads.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { grid, rowsFrom } from '../../testing/shapes.ts';
import { apply, invert, type Delta } from '../../weights/delta.ts';
import { changeInfluence, OTHERS, type Receiver } from '../../weights/influence.ts';
import { createRowBatch } from '../../weights/rowBatch.ts';
import { moveWeight } from './moveWeight.ts';
import { pruneWeights } from './prune.ts';
import { createRows, influenceCount, rowSum, weightOf, type WeightRows } from '../../weights/rows.ts';
import { healPoints, meanRow, pasteRow } from './rowsAsWhole.ts';
import { createKernelMemory } from '../../memory/wasmMemory.ts';

const JOINTS = 6;
const sheet = grid(5, 4);
const pointCount = sheet.positions.length / 3;
const neighbours = findNeighbours(recoverQuads(sheet.triangles, sheet.positions), pointCount);

/** Rows with one to five influences, made from plain numbers so that failures can be shrunk. */
const someRows = fc
  .array(
    fc.array(fc.tuple(fc.nat(JOINTS - 1), fc.integer({ min: 1, max: 50 })), { minLength: 1, maxLength: 5 }),
    {
      minLength: pointCount,
      maxLength: pointCount,
    },
  )
  .map((points) => {
    const rows = createRows(pointCount);
    points.forEach((entries, p) => {
      const sums = new Map<number, number>();
      for (const [joint, share] of entries) sums.set(joint, (sums.get(joint) ?? 0) + share);
      const total = [...sums.values()].reduce((sum, n) => sum + n, 0);
      const sorted = [...sums].sort((a, b) => b[1] - a[1] || a[0] - b[0]);
      let rest = 1;
      sorted.forEach(([joint, share], k) => {
        const value = k + 1 === sorted.length ? Math.fround(rest) : Math.fround(share / total);
        rows.joints[p * 8 + k] = joint;
        rows.values[p * 8 + k] = value;
        rest -= value;
      });
    });
    return rows;
  });
const someLocks = fc.uint8Array({ minLength: JOINTS, maxLength: JOINTS, max: 1 });
const somePoints = fc
  .uniqueArray(fc.nat(pointCount - 1), { minLength: 1 })
  .map((points) => Uint32Array.from(points).sort());

const OPERATIONS: Readonly<
  Record<string, (rows: WeightRows, points: Uint32Array, locks: Uint8Array) => Delta>
> = {
  'prune below': (rows, points, locks) => pruneWeights(0, rows, points, { below: 0.15 }, { locks, limit: 8 }),
  'keep two': (rows, points, locks) => pruneWeights(0, rows, points, { most: 2 }, { locks, limit: 8 }),
  'round to tenths': (rows, points, locks) =>
    pruneWeights(0, rows, points, { step: 0.1 }, { locks, limit: 8 }),
  paste: (rows, points, locks) =>
    pasteRow(
      0,
      rows,
      points,
      [
        { joint: 1, weight: 0.7 },
        { joint: 4, weight: 0.3 },
      ],
      { locks, limit: 4 },
    ),
  heal: (rows, points, locks) =>
    healPoints(0, rows, sheet.positions, neighbours, points, { locks, limit: 4 }),
  'scale down, others': (rows, points, locks) => scaled(rows, points, locks, OTHERS),
  'scale down, to a joint': (rows, points, locks) => scaled(rows, points, locks, { kind: 'joint', joint: 5 }),
  'scale down, to the neighbours': (rows, points, locks) =>
    scaled(rows, points, locks, { kind: 'neighbours' }),
  'move half': (rows, points, locks) =>
    locks[2] || locks[3] ? nothing() : moveWeight(0, rows, 2, 3, { locks }, 0.5, points),
};

const nothing = (): Delta => ({
  part: 0,
  points: new Uint32Array(0),
  before: createRows(0),
  after: createRows(0),
});

function scaled(rows: WeightRows, points: Uint32Array, locks: Uint8Array, receiver: Receiver): Delta {
  if (locks[0]) return nothing();
  const rules = { receiver, limit: 4, locks, neighbours };
  return changeInfluence(0, rows, points, 0, (weight) => weight / 3, rules).delta;
}

describe.each(Object.entries(OPERATIONS))('%s', (_name, operation) => {
  test('keeps sums, touches only its points, leaves locked joints to the bit, and is undone to the bit', () => {
    fc.assert(
      fc.property(someRows, somePoints, someLocks, (rows, points, locks) => {
        const before = { ...rows, joints: rows.joints.slice(), values: rows.values.slice() };
        const delta = operation(rows, points, locks);
        expect(rows).toEqual(before);
        apply([rows], [delta]);
        const meant = new Set(points);
        for (let p = 0; p < pointCount; p++) {
          expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThan(1e-6);
          for (let k = 0; k < 8; k++) expect(rows.values[p * 8 + k]).toBeGreaterThanOrEqual(0);
          for (let joint = 0; joint < JOINTS; joint++) {
            if (locks[joint] || !meant.has(p))
              expect(weightOf(rows, p, joint)).toBe(weightOf(before, p, joint));
          }
        }
        apply([rows], invert([delta]));
        expect(rows).toEqual(before);
      }),
      { numRuns: 20 },
    );
  });
});

test('many rows at a time come out as one by one, to the bit', async () => {
  const memory = await createKernelMemory(2 << 20);
  const batch = createRowBatch(memory, 8);
  fc.assert(
    fc.property(someRows, somePoints, someLocks, (rows, points, own) => {
      const locks = memory.u8(JOINTS);
      locks.set(own);
      for (const receiver of [OTHERS, { kind: 'joint', joint: 5 }, { kind: 'neighbours' }] as const) {
        if (locks[0]) continue;
        const rules = { receiver, limit: 4, locks, neighbours };
        const change = (weight: number, p: number): number => weight / 3 + (p % 3) / 5;
        const one = changeInfluence(0, rows, points, 0, change, rules);
        expect(changeInfluence(0, rows, points, 0, change, { ...rules, batch })).toEqual(one);
      }
      const pruned = pruneWeights(0, rows, points, { below: 0.15, most: 3 }, { locks, limit: 8 });
      expect(pruneWeights(0, rows, points, { below: 0.15, most: 3 }, { locks, limit: 8, batch })).toEqual(
        pruned,
      );
    }),
    { numRuns: 30 },
  );
});

describe('what they do', () => {
  const noLocks = new Uint8Array(JOINTS);
  const rules = { locks: noLocks, limit: 8 };
  const row = (rows: WeightRows, p = 0): Record<number, number> =>
    Object.fromEntries(
      Array.from({ length: influenceCount(rows, p) }, (_, k) => [
        rows.joints[p * rows.stride + k],
        Math.round(rows.values[p * rows.stride + k] * 1e5) / 1e5,
      ]),
    );
  const after = (rows: WeightRows, operation: (rows: WeightRows) => Delta): WeightRows => {
    apply([rows], [operation(rows)]);
    return rows;
  };
  const first = Uint32Array.of(0);

  test('small weights go, the largest always stays; pruning twice changes nothing more', () => {
    const rows = rowsFrom([
      { 0: 0.8, 1: 0.15, 2: 0.05 },
      { 3: 0.34, 4: 0.33, 5: 0.33 },
    ]);
    const both = Uint32Array.of(0, 1);
    const prune = (own: WeightRows): Delta => pruneWeights(0, own, both, { below: 0.5 }, rules);
    expect(row(after(rows, prune))).toEqual({ 0: 1 });
    expect(row(rows, 1)).toEqual({ 3: 1 });
    expect(prune(rows).points).toHaveLength(0);
  });

  test('rounding fills to exactly one by the largest remainders', () => {
    const rows = after(rowsFrom([{ 0: 0.34, 1: 0.33, 2: 0.33 }]), (own) =>
      pruneWeights(0, own, first, { step: 0.1 }, rules),
    );
    expect(row(rows)).toEqual({ 0: 0.4, 1: 0.3, 2: 0.3 });
    expect(rowSum(rows, 0)).toBe(1);
  });

  test('freed weight goes where it is told: the others, a joint, what the neighbours have', () => {
    const make = (): WeightRows => rowsFrom([{ 0: 0.6, 1: 0.3, 2: 0.1 }, { 3: 1 }]);
    const beside = { offsets: Uint32Array.of(0, 1, 2), points: Uint32Array.of(1, 0) };
    const take =
      (receiver: Receiver) =>
      (own: WeightRows): Delta =>
        changeInfluence(0, own, first, 0, () => 0.2, {
          receiver,
          limit: 8,
          locks: noLocks,
          neighbours: beside,
        }).delta;
    expect(row(after(make(), take(OTHERS)))).toEqual({ 1: 0.6, 0: 0.2, 2: 0.2 });
    expect(row(after(make(), take({ kind: 'joint', joint: 2 })))).toEqual({ 2: 0.5, 1: 0.3, 0: 0.2 });
    expect(row(after(make(), take({ kind: 'neighbours' })))).toEqual({ 3: 0.4, 1: 0.3, 0: 0.2, 2: 0.1 });
  });

  test('where the receiver can take nothing the weight stays, and that is told', () => {
    const rows = rowsFrom([{ 0: 1 }]);
    const locks = Uint8Array.of(0, 0, 1, 0, 0, 0);
    const to = (receiver: Receiver) =>
      changeInfluence(0, rows, first, 0, () => 0, {
        receiver,
        limit: 4,
        locks,
        neighbours: { offsets: Uint32Array.of(0, 0), points: new Uint32Array(0) },
      });
    for (const receiver of [OTHERS, { kind: 'joint', joint: 2 }, { kind: 'neighbours' }] as const)
      expect(to(receiver)).toMatchObject({ held: 1, delta: { points: new Uint32Array(0) } });
    expect(() => changeInfluence(0, rows, first, 2, () => 1, { receiver: OTHERS, limit: 4, locks })).toThrow(
      'locked',
    );
  });

  test('the mean of points, and pasting it', () => {
    const rows = rowsFrom([{ 0: 1 }, { 1: 1 }, {}]);
    const mean = meanRow([rows], new Map([[0, Uint32Array.of(0, 1, 2)]]));
    expect(mean).toEqual([
      { joint: 0, weight: 0.5 },
      { joint: 1, weight: 0.5 },
    ]);
    expect(
      row(
        after(rows, (own) => pasteRow(0, own, Uint32Array.of(2), mean, rules)),
        2,
      ),
    ).toEqual({ 0: 0.5, 1: 0.5 });
    expect(() => pasteRow(0, rows, first, [], rules)).toThrow('Copy a point’s first');
  });

  test.each([
    [{ below: 1 }, 'threshold'],
    [{ most: 0 }, 'whole number from 1'],
    [{ step: 0.6 }, 'at most 0.5'],
  ])('%j is refused', (settings, words) => {
    expect(() => pruneWeights(0, rowsFrom([{ 0: 1 }]), first, settings, rules)).toThrow(words);
  });
});
