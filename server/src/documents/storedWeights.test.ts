import { describe, expect, test } from '@jest/globals';
import { encodeRows, encodeWeights } from '@judoka/contract';
import {
  copyRows,
  createRows,
  DeltaBuilder,
  rewritePoints,
  type Delta,
  type WeightRows,
} from '@judoka/core/weights';
import fc from 'fast-check';
import { CHECKPOINT_REACH, needlessCheckpoints } from './checkpoints.queries.ts';
import { countMarked, packPlaces } from './pointRuns.ts';
import {
  readStoredRows,
  readStoredWeights,
  storedRowsAsSent,
  storedWeightsAsSent,
  storeRows,
  storeWeights,
} from './storedWeights.ts';

const STRIDE = 8;
const row = fc.uniqueArray(
  fc.record({
    joint: fc.integer({ min: 0, max: 600 }),
    value: fc.double({ min: 1e-3, max: 1, noNaN: true }),
  }),
  {
    selector: ({ joint }) => joint,
    maxLength: STRIDE,
  },
);
const rowsOf = (wanted: readonly (readonly { joint: number; value: number }[])[]): WeightRows => {
  const rows = createRows(wanted.length, STRIDE);
  const points = Uint32Array.from(wanted.keys());
  const { delta } = rewritePoints(0, rows, points, { locks: new Uint8Array(1024), limit: STRIDE }, (p, c) => {
    for (const { joint, value } of wanted[p]) {
      c.joints[c.count] = joint;
      c.values[c.count++] = value;
    }
  });
  delta.points.forEach((p, i) => {
    rows.joints.set(delta.after.joints.subarray(i * STRIDE, (i + 1) * STRIDE), p * STRIDE);
    rows.values.set(delta.after.values.subarray(i * STRIDE, (i + 1) * STRIDE), p * STRIDE);
  });
  return rows;
};
const pairOfRows = fc
  .array(fc.tuple(row, row), { maxLength: 40 })
  .map((list) => [rowsOf(list.map(([a]) => a)), rowsOf(list.map(([, b]) => b))] as const);
const deltaOf = (part: number, before: WeightRows, after: WeightRows, step: number): Delta => {
  const builder = new DeltaBuilder(part, STRIDE, before.pointCount);
  for (let p = 0; p < before.pointCount; p++) builder.push(p * step, before, p, after, p);
  return builder.finish();
};

describe('weights as they are kept', () => {
  test('come back to the bit: rows, changes, and their bytes on the wire', () => {
    fc.assert(
      fc.property(pairOfRows, fc.constantFrom(1, 3, 900), ([before, after], step) => {
        const change = [deltaOf(0, before, after, step), deltaOf(7, after, before, 1)];
        expect(readStoredWeights(storeWeights(change))).toEqual(change);
        expect(Buffer.from(storedWeightsAsSent(storeWeights(change)))).toEqual(
          Buffer.from(encodeWeights(change)),
        );
        expect(readStoredRows(storeRows([before, after]))).toEqual([before, after]);
        expect(Buffer.from(storedRowsAsSent(storeRows([after])))).toEqual(Buffer.from(encodeRows([after])));
      }),
    );
  });

  test('weights that sum to something else come back too', () => {
    const rows = createRows(2, STRIDE);
    rows.values.set([0.7, 0.9], 0);
    rows.joints.set([65_535, 254], 0);
    rows.values.set([1e-30], STRIDE);
    const after = copyRows(rows);
    after.values[0] = 3e38;
    expect(readStoredRows(storeRows([rows]))).toEqual([rows]);
    const change = [deltaOf(0, rows, after, 1)];
    expect(readStoredWeights(storeWeights(change))).toEqual(change);
  });

  test('bytes of before they were packed are read as they are', () => {
    const [before, after] = [rowsOf([[{ joint: 3, value: 1 }]]), rowsOf([[{ joint: 4, value: 1 }]])];
    const change = [deltaOf(0, before, after, 1)];
    expect(readStoredWeights(encodeWeights(change))).toEqual(change);
    expect(storedWeightsAsSent(encodeWeights(change))).toEqual(encodeWeights(change));
    expect(readStoredRows(encodeRows([before]))).toEqual([before]);
  });
});

test('the points of a change are counted as they are marked', () => {
  const lists = fc.uniqueArray(fc.integer({ min: 0, max: 300 }), { minLength: 1 });
  fc.assert(
    fc.property(lists, lists, (points, asked) => {
      const list = Uint32Array.from(points).sort();
      const rows = createRows(list.length, STRIDE);
      const places = packPlaces([{ part: 2, points: list, before: rows, after: rows }]);
      const mask = new Uint8Array(Math.max(...asked) + 1);
      for (const p of asked) mask[p] = 1;
      expect(countMarked(places, new Map([[2, mask]]))).toBe(points.filter((p) => asked.includes(p)).length);
      expect(countMarked(places, new Map([[1, mask]]))).toBe(0);
    }),
  );
});

test('no line is farther than its reach from a checkpoint that is kept, and no more are kept than twice as many as that needs', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 1, max: 2 * CHECKPOINT_REACH }), { maxLength: 200 }), (steps) => {
      const seqs = steps.reduce((all, step) => [...all, all[all.length - 1] + step], [0]);
      // As a server does it: pruned after each one that is made.
      let kept: number[] = [];
      for (const seq of seqs) {
        kept.push(seq);
        const needless = needlessCheckpoints(kept);
        kept = kept.filter((each) => !needless.includes(each));
      }
      expect(kept[0]).toBe(0);
      for (let i = 1; i < kept.length; i++)
        expect(kept[i] - kept[i - 1]).toBeLessThanOrEqual(2 * CHECKPOINT_REACH);
      expect(kept.length).toBeLessThanOrEqual(seqs[seqs.length - 1] / CHECKPOINT_REACH + 6);
    }),
  );
});
