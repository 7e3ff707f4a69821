import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { grid, rowsFrom } from '../testing/shapes.ts';
import { recoverQuads } from '../mesh/quads.ts';
import { findNeighbours } from '../mesh/topology.ts';
import { copyRow } from './delta.ts';
import { RowStatus } from './normalize.ts';
import { createRowsIn, influencesOf, rowSum, weightOf, type WeightRows } from './rows.ts';
import { weightKernels } from './weightKernels.ts';
import { createPlainMemory, type KernelMemory } from '../memory/kernelMemory.ts';
import { createKernelMemory } from '../memory/wasmMemory.ts';

const wasm = await createKernelMemory(8 << 20);
const plain = createPlainMemory();

/** Smooths all points of a 2×2 grid (3×3 points; point 4 in the middle). */
function smoothGrid(
  memory: KernelMemory,
  points: Record<number, number>[],
  amount: number,
  locked: number[] = [],
  limit = 4,
): WeightRows {
  const { positions, triangles } = grid(2, 2);
  const found = findNeighbours(recoverQuads(triangles, positions), 9);
  const neighbours = { offsets: memory.u32(found.offsets.length), points: memory.u32(found.points.length) };
  neighbours.offsets.set(found.offsets);
  neighbours.points.set(found.points);
  const source = rowsFrom(points);
  const src = createRowsIn(memory, 9, 8);
  const dst = createRowsIn(memory, 9, 8);
  for (let p = 0; p < 9; p++) {
    copyRow(source, p, src, p);
  }
  const list = { points: memory.u32(9), count: 9 };
  list.points.set([0, 1, 2, 3, 4, 5, 6, 7, 8]);
  const amounts = memory.f32(9).fill(amount);
  const locks = memory.u8(16);
  for (const joint of locked) locks[joint] = 1;
  const status = memory.u8(9);
  weightKernels(memory).smoothRows(src, dst, list, neighbours, amounts, limit, locks, status);
  for (let p = 0; p < 9; p++) if (status[p] & RowStatus.changed) copyRow(dst, p, src, p);
  return src;
}

const whole = (joint: number): Record<number, number> => ({ [joint]: 1 });

test.each([plain, wasm])('a lone point becomes the mean of its four edge neighbours ($kind)', (memory) => {
  const points = Array.from({ length: 9 }, () => whole(0));
  points[4] = whole(1);
  const rows = smoothGrid(memory, points, 0.5);
  expect(weightOf(rows, 4, 1)).toBeCloseTo(0.5, 6);
  // Point 1 has three neighbours, one of them the middle.
  expect(weightOf(rows, 1, 1)).toBeCloseTo(0.5 / 3, 6);
  // A corner is joined to the middle by no edge, only by a diagonal.
  expect(weightOf(rows, 0, 1)).toBe(0);
});

test.each([plain, wasm])('locked joints stay to the bit ($kind)', (memory) => {
  const points = Array.from({ length: 9 }, () => whole(0));
  points[4] = { 1: 0.3, 2: 0.7 };
  const rows = smoothGrid(memory, points, 1, [1]);
  expect(weightOf(rows, 4, 1)).toBe(Math.fround(0.3));
  expect(weightOf(rows, 4, 0)).toBeCloseTo(0.7, 6);
  expect(weightOf(rows, 1, 1)).toBe(0);
});

test('equal rows are a fixed point; unweighted points are left alone', () => {
  const points = Array.from({ length: 9 }, (): Record<number, number> => ({ 0: 0.25, 3: 0.75 }));
  points[8] = {};
  const rows = smoothGrid(plain, points, 1);
  for (let p = 0; p < 8; p++) expect(weightOf(rows, p, 3)).toBeCloseTo(0.75, 6);
  expect(influencesOf(rows, 8)).toEqual([]);
});

test('kernels agree to the bit, rows sum to one and keep the limit', () => {
  const arbitraryPoint = fc
    .uniqueArray(fc.tuple(fc.nat(9), fc.integer({ min: 1, max: 100 })), {
      selector: ([j]) => j,
      minLength: 1,
      maxLength: 6,
    })
    .map((row) => {
      const sum = row.reduce((total, [, w]) => total + w, 0);
      return Object.fromEntries(row.map(([j, w]) => [j, Math.fround(w / sum)]));
    });
  fc.assert(
    fc.property(
      fc.array(arbitraryPoint, { minLength: 9, maxLength: 9 }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      (points, amount) => {
        const a = smoothGrid(createPlainMemory(), points, Math.fround(amount), [], 4);
        const b = smoothGrid(wasm, points, Math.fround(amount), [], 4);
        expect([...b.values]).toEqual([...a.values]);
        expect([...b.joints]).toEqual([...a.joints]);
        for (let p = 0; p < 9; p++) {
          expect(Math.abs(rowSum(a, p) - 1)).toBeLessThan(1e-6);
          if (Math.fround(amount) > 0) expect(influencesOf(a, p).length).toBeLessThanOrEqual(4);
        }
      },
    ),
    { numRuns: 60 },
  );
});
