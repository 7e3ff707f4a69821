import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { rowsFrom } from '../testing/shapes.ts';
import { copyRow } from './delta.ts';
import { createCandidates, normalizeCandidates, RowStatus } from './normalize.ts';
import { createRowsIn, influencesOf, rowSum, weightOf, type WeightRows } from './rows.ts';
import { weightKernels } from './weightKernels.ts';
import { createPlainMemory, type KernelMemory } from '../memory/kernelMemory.ts';
import { createKernelMemory } from '../memory/wasmMemory.ts';

const JOINTS = 12;
type Kind = 'plain' | 'wasm';
const kernelsOfKind: Record<Kind, KernelMemory> = {
  plain: createPlainMemory(),
  wasm: await createKernelMemory(8 << 20),
};

function setOne(
  row: Record<number, number>,
  joint: number,
  target: number,
  { limit = 8, locked = [], kind = 'plain' }: { limit?: number; locked?: number[]; kind?: Kind } = {},
): { rows: WeightRows; status: number } {
  const memory = kernelsOfKind[kind];
  const rows = createRowsIn(memory, 1, 8);
  copyRow(rowsFrom([row]), 0, rows, 0);
  const locks = memory.u8(JOINTS);
  for (const j of locked) locks[j] = 1;
  const points = memory.u32(1);
  const targets = memory.f32(1);
  targets[0] = target;
  const status = memory.u8(1);
  weightKernels(memory).setWeights(rows, { points, count: 1 }, targets, joint, limit, locks, status);
  return { rows, status: status[0] };
}

test('WebAssembly kernels are really the ones under test', () => {
  expect(kernelsOfKind.wasm.compiled).toBeDefined();
});

describe.each(['plain', 'wasm'] as const)('setting one weight (%s memory)', (kind) => {
  test('the others make room in proportion', () => {
    const { rows, status } = setOne({ 0: 0.6, 1: 0.3, 2: 0.1 }, 0, 0.2, { kind });
    expect(status & RowStatus.changed).toBeTruthy();
    expect(weightOf(rows, 0, 0)).toBeCloseTo(0.2, 6);
    expect(weightOf(rows, 0, 1)).toBeCloseTo(0.6, 6);
    expect(weightOf(rows, 0, 2)).toBeCloseTo(0.2, 6);
  });

  test('a locked joint keeps its bits and bounds the others', () => {
    const { rows, status } = setOne({ 0: 0.5, 1: 0.3, 2: 0.2 }, 0, 0.9, { locked: [1], kind });
    expect(weightOf(rows, 0, 1)).toBe(Math.fround(0.3));
    expect(weightOf(rows, 0, 0)).toBeCloseTo(0.7, 6);
    expect(weightOf(rows, 0, 2)).toBe(0);
    expect(status & RowStatus.lockedShort).toBeTruthy();
  });

  test('where there is no other influence the point keeps its weight, and says so', () => {
    const { rows, status } = setOne({ 3: 1 }, 3, 0.4, { kind });
    expect(influencesOf(rows, 0)).toEqual([{ joint: 3, weight: 1 }]);
    expect(status & RowStatus.noReceiver).toBeTruthy();
    expect(status & RowStatus.changed).toBeFalsy();
  });

  test('the limit makes the smallest unlocked influence go', () => {
    const { rows, status } = setOne({ 0: 0.4, 1: 0.3, 2: 0.2, 3: 0.1 }, 4, 0.5, {
      limit: 4,
      locked: [3],
      kind,
    });
    expect(status & RowStatus.dropped).toBeTruthy();
    expect(weightOf(rows, 0, 2)).toBe(0);
    expect(weightOf(rows, 0, 3)).toBe(Math.fround(0.1));
    expect(weightOf(rows, 0, 4)).toBeCloseTo(0.5, 6);
    expect(rowSum(rows, 0)).toBeCloseTo(1, 6);
  });

  test('a row above the limit is not cut by a change to what it holds', () => {
    const { rows } = setOne({ 0: 0.3, 1: 0.2, 2: 0.2, 3: 0.1, 4: 0.1, 5: 0.1 }, 0, 0.4, { limit: 4, kind });
    expect(influencesOf(rows, 0)).toHaveLength(6);
  });

  test('an unweighted point takes the joint whole', () => {
    const { rows } = setOne({}, 5, 0.25, { kind });
    expect(influencesOf(rows, 0)).toEqual([{ joint: 5, weight: 1 }]);
  });

  test('equal weights stand in the order of their joints', () => {
    const { rows } = setOne({ 7: 0.5, 2: 0.5 }, 4, 0.5, { kind });
    expect(influencesOf(rows, 0).map(({ joint }) => joint)).toEqual([4, 2, 7]);
  });
});

const arbitraryRow = fc
  .uniqueArray(fc.tuple(fc.nat(JOINTS - 1), fc.double({ min: 0.001, max: 1, noNaN: true })), {
    selector: ([joint]) => joint,
    minLength: 1,
    maxLength: 8,
  })
  .map((entries) => {
    const sum = entries.reduce((total, [, weight]) => total + weight, 0);
    return Object.fromEntries(entries.map(([joint, weight]) => [joint, Math.fround(weight / sum)]));
  });

const arbitraryCall = fc.record({
  row: arbitraryRow,
  joint: fc.nat(JOINTS - 1),
  target: fc.double({ min: 0, max: 1, noNaN: true }).map(Math.fround),
  limit: fc.integer({ min: 1, max: 8 }),
  locked: fc.uniqueArray(fc.nat(JOINTS - 1), { maxLength: 4 }),
});

describe('properties of the normalizing routine', () => {
  test('sums one, nothing negative, no joint twice, locks to the bit, falling order', () => {
    fc.assert(
      fc.property(arbitraryCall, ({ row, joint, target, limit, locked }) => {
        fc.pre(!locked.includes(joint));
        const { rows } = setOne(row, joint, target, { limit, locked });
        const found = influencesOf(rows, 0);
        expect(Math.abs(rowSum(rows, 0) - 1)).toBeLessThan(1e-6);
        expect(found.every(({ weight }) => weight > 0)).toBe(true);
        expect(new Set(found.map((i) => i.joint)).size).toBe(found.length);
        for (const j of locked) if (row[j]) expect(weightOf(rows, 0, j)).toBe(row[j]);
        for (let k = 1; k < found.length; k++)
          expect(found[k].weight).toBeLessThanOrEqual(found[k - 1].weight);
      }),
    );
  });

  test('the two memory agree to the bit', () => {
    fc.assert(
      fc.property(arbitraryCall, ({ row, joint, target, limit, locked }) => {
        fc.pre(!locked.includes(joint));
        const plain = setOne(row, joint, target, { limit, locked, kind: 'plain' });
        const wasm = setOne(row, joint, target, { limit, locked, kind: 'wasm' });
        expect([...wasm.rows.values]).toEqual([...plain.rows.values]);
        expect([...wasm.rows.joints]).toEqual([...plain.rows.joints]);
        expect(wasm.status).toBe(plain.status);
      }),
      { numRuns: 300 },
    );
  });

  test('setting a weight to what it is changes nothing', () => {
    fc.assert(
      fc.property(arbitraryRow, (row) => {
        const joint = Number(Object.keys(row)[0]);
        const before = rowsFrom([row]);
        const { rows, status } = setOne(row, joint, row[joint]);
        expect(status).toBe(RowStatus.unchanged);
        expect([...rows.values]).toEqual([...before.values]);
      }),
    );
  });
});

test('candidates without any unlocked weight leave the row as it was', () => {
  const rows = rowsFrom([{ 1: 1 }]);
  const c = createCandidates(4);
  const status = normalizeCandidates(rows, 0, c, { fixed: -1, limit: 4, locks: new Uint8Array(JOINTS) });
  expect(status).toBe(RowStatus.noReceiver);
  expect(weightOf(rows, 0, 1)).toBe(1);
});
