import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { borrowMemory } from '../../memory/memoryPool.ts';
import { createPlainMemory, type KernelMemory } from '../../memory/kernelMemory.ts';
import { countBytes } from '../../memory/countBytes.ts';
import { layLooks } from './LookBatch.ts';
import { laySettling, type SettleArrays, settlingBytes } from './settleArrays.ts';
import { settleKernels, type SettleKernels } from './settleKernels.ts';

const [POSES, LISTED, COUNT, JOINTS, STRIDE] = [8, 7, 10, 5, 3];
const SIZES = {
  ...{ poses: POSES, listed: LISTED, count: COUNT, stride: STRIDE, joints: JOINTS },
  ...{ neighbours: 3 * LISTED, open: LISTED, asked: 2 * LISTED, weights: 3 * LISTED },
};

/** A crumpled ring of points, each open in one of two blocks of poses, with three joints to choose among. */
function fill(arrays: SettleArrays, random: () => number): void {
  const spread = (array: Float32Array | Float64Array, by: number): void => {
    for (let i = 0; i < array.length; i++) array[i] = by * (random() - 0.5);
  };
  for (const array of [arrays.rest, arrays.positions, arrays.palettes, arrays.came]) spread(array, 2);
  for (let i = 0; i <= LISTED; i++) {
    for (const offsets of [arrays.offsets, arrays.jointOffsets]) offsets[i] = 3 * i;
    arrays.open.offsets[i] = i;
    arrays.asked.offsets[i] = 2 * i;
  }
  for (let i = 0; i < LISTED; i++) {
    const first = Math.floor(random() * JOINTS);
    for (let c = 0; c < 3; c++) {
      arrays.neighbours[3 * i + c] = (i + 1 + c * 2) % COUNT;
      arrays.joints[3 * i + c] = (first + c) % JOINTS;
      arrays.weights[3 * i + c] = c === 2 ? 0 : 0.25 + 0.5 * c;
    }
    arrays.open.blocks[i] = Math.floor(random() * 2);
    arrays.asked.blocks.set([0, 1], 2 * i);
    arrays.turns.fill(1, (4 * i + 3) * POSES, 4 * (i + 1) * POSES);
  }
  for (let i = 0; i < COUNT; i++) {
    if (i === 3) continue;
    arrays.rowJoints.set([i % JOINTS, (i + 2) % JOINTS], i * STRIDE);
    arrays.rowValues.set([0.75, 0.25], i * STRIDE);
  }
}

/** Numbers that are the same for one seed. */
function numbers(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
}

type Work = (kernels: SettleKernels, arrays: SettleArrays) => ArrayLike<number>;

async function inBoth(seed: number, work: Work): Promise<[number[], number[]]> {
  const run = (memory: KernelMemory): number[] => {
    const random = numbers(seed);
    const arrays = laySettling(memory, SIZES);
    fill(arrays, random);
    const kernels = settleKernels(memory);
    kernels.placeRows(arrays);
    return Array.from(work(kernels, arrays));
  };
  const loan = await borrowMemory(settlingBytes(SIZES));
  try {
    expect(loan.memory.compiled).toBeDefined();
    return [run(loan.memory), run(createPlainMemory())];
  } finally {
    loan.giveBack();
  }
}

/** The compiled loops count in single precision, the plain ones in double. */
async function expectAlike(work: Work): Promise<void> {
  await fc.assert(
    fc.asyncProperty(fc.integer({ min: 1, max: 1e6 }), async (seed) => {
      const [compiled, plain] = await inBoth(seed, work);
      expect(compiled).toHaveLength(plain.length);
      compiled.forEach((x, i) =>
        expect(Math.abs(x - plain[i])).toBeLessThan(2e-3 * (1 + Math.abs(plain[i]))),
      );
    }),
    { numRuns: 25 },
  );
}

describe('what weights are settled by, compiled and plain', () => {
  test('places by rows; at rest without weight', () => expectAlike((_kernels, { places }) => places));

  test('places by the candidates’ weights, in open poses alone', () =>
    expectAlike((kernels, arrays) => {
      for (let i = 0; i < LISTED; i++) kernels.placePoint(arrays, i);
      return arrays.places;
    }));

  test('how far points have moved', () =>
    expectAlike((kernels, arrays) => {
      kernels.sumMoved(arrays);
      return arrays.moved;
    }));

  test('where neighbours want a point, and what its joints could do', () =>
    expectAlike((kernels, arrays) => {
      const found: number[] = [];
      for (let i = 0; i < LISTED; i++) {
        kernels.aimPoint(arrays, i, 0.5);
        for (let c = 0; c < 3; c++) for (let d = 0; d <= c; d++) found.push(arrays.gram[c * 3 + d]);
      }
      return found;
    }));

  test('rotations: unit quaternions under which the rest fits as well as under the plain ones', async () => {
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 1, max: 1e6 }), async (seed) => {
        const fits = await inBoth(seed, (kernels, arrays) => {
          for (let round = 0; round < 20; round++) kernels.turnPoints(arrays, 0, LISTED, true);
          return fitOf(arrays);
        });
        fits[0].forEach((fit, i) =>
          expect(fit).toBeGreaterThan(fits[1][i] - 1e-3 * (1 + Math.abs(fits[1][i]))),
        );
      }),
      { numRuns: 25 },
    );
  });
});

test('products of how far joints put points off their looks, compiled and plain', async () => {
  const sizes = { poses: POSES, pointCount: COUNT, jointCount: JOINTS, candidates: 3 * COUNT };
  const run = (memory: KernelMemory, seed: number): number[] => {
    const arrays = layLooks(memory, sizes);
    const random = numbers(seed);
    for (const array of [arrays.positions, arrays.palettes, arrays.looks])
      for (let k = 0; k < array.length; k++) array[k] = random() - 0.5;
    for (let k = 0; k < arrays.joints.length; k++) arrays.joints[k] = Math.floor(random() * JOINTS);
    const found: number[] = [];
    for (let i = 0; i < COUNT; i++) {
      settleKernels(memory).lookProducts(arrays, i, 3 * i, 3);
      for (let c = 0; c < 3; c++) for (let d = 0; d <= c; d++) found.push(arrays.gram[c * 3 + d]);
    }
    return found;
  };
  await fc.assert(
    fc.asyncProperty(fc.integer({ min: 1, max: 1e6 }), async (seed) => {
      const loan = await borrowMemory(countBytes((memory) => layLooks(memory, sizes)));
      const compiled = run(loan.memory, seed);
      loan.giveBack();
      run(createPlainMemory(), seed).forEach((x, i) => expect(compiled[i]).toBeCloseTo(x, 5));
    }),
    { numRuns: 25 },
  );
});

/** By listed point and pose: how well the rotated rest edges agree with those that there are. */
function fitOf({ rest, places, turns, offsets, neighbours }: SettleArrays): number[] {
  const found: number[] = [];
  for (let i = 0; i < LISTED; i++)
    for (let k = 0; k < POSES; k++) {
      const [x, y, z, w] = [0, 1, 2, 3].map((c) => turns[(4 * i + c) * POSES + k]);
      expect(Math.hypot(x, y, z, w)).toBeCloseTo(1, 3);
      let sum = 0;
      for (let n = offsets[i]; n < offsets[i + 1]; n++) {
        const q = neighbours[n];
        const [dx, dy, dz] = [0, 1, 2].map((r) => rest[q * 3 + r] - rest[i * 3 + r]);
        const [cx, cy, cz] = [y * dz - z * dy, z * dx - x * dz, x * dy - y * dx].map((c) => 2 * c);
        const turned = [
          dx + w * cx + y * cz - z * cy,
          dy + w * cy + z * cx - x * cz,
          dz + w * cz + x * cy - y * cx,
        ];
        for (let r = 0; r < 3; r++)
          sum += turned[r] * (places[(q * 3 + r) * POSES + k] - places[(i * 3 + r) * POSES + k]);
      }
      found.push(sum);
    }
  return found;
}
