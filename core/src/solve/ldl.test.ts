import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { findNeighbours } from '../mesh/topology.ts';
import { grid } from '../testing/shapes.ts';
import { factorize, planFactor, type SymmetricMatrix } from './ldl.ts';
import { SOLVE_WIDTH } from './ldlLoops.ts';
import { nestedDissection } from './nestedDissection.ts';
import { solveKernels } from './solveKernels.ts';
import { createPlainMemory } from '../memory/kernelMemory.ts';
import { createKernelMemory } from '../memory/wasmMemory.ts';

/** A dense symmetric matrix by its upper half, in columns. */
function compress(dense: readonly (readonly number[])[]): SymmetricMatrix {
  const starts = [0];
  const rows: number[] = [];
  const values: number[] = [];
  dense.forEach((_, k) => {
    for (let i = 0; i <= k; i++) {
      if (dense[i][k] === 0) continue;
      rows.push(i);
      values.push(dense[i][k]);
    }
    starts.push(rows.length);
  });
  return {
    size: dense.length,
    starts: Uint32Array.from(starts),
    rows: Uint32Array.from(rows),
    values: Float64Array.from(values),
  };
}

/** Laplacian of a graph plus something on the diagonal: what heat solves. */
function laplacian(size: number, edges: readonly (readonly [number, number])[], pull: number): number[][] {
  const dense = Array.from({ length: size }, (_, i) =>
    Array.from({ length: size }, (__, k) => (i === k ? pull : 0)),
  );
  for (const [a, b] of edges) {
    if (a === b) continue;
    dense[a][b] -= 1;
    dense[b][a] -= 1;
    dense[a][a] += 1;
    dense[b][b] += 1;
  }
  return dense;
}

const kernelsFor = {
  plain: () => Promise.resolve(createPlainMemory()),
  wasm: (matrix: SymmetricMatrix) => createKernelMemory(2 * planFactor(matrix).bytes),
};

describe.each(['plain', 'wasm'] as const)('%s', (kind) => {
  test('a three by three matrix factorizes as by hand', async () => {
    const matrix = compress([
      [4, 2, 0],
      [2, 5, 3],
      [0, 3, 6],
    ]);
    const memory = await kernelsFor[kind](matrix);
    const { factor } = factorize(memory, matrix, planFactor(matrix));
    // L = [1; ½ 1; 0 ¾ 1], D = 4, 5 − 1, 6 − 9/4.
    expect([...factor.diagonal]).toEqual([4, 4, 3.75]);
    expect([...factor.values]).toEqual([0.5, 0.75]);
    expect([...factor.rows]).toEqual([1, 2]);
  });

  test('a solution put back into the matrix gives the right-hand sides', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 2, max: 14 }),
        fc.array(fc.tuple(fc.nat(13), fc.nat(13)), { maxLength: 40 }),
        fc.double({ min: 0.01, max: 5, noNaN: true }),
        async (size, raw, pull) => {
          const dense = laplacian(
            size,
            raw.map(([a, b]) => [a % size, b % size] as const),
            pull,
          );
          const matrix = compress(dense);
          const memory = await kernelsFor[kind](matrix);
          const { factor } = factorize(memory, matrix, planFactor(matrix));
          const sides = memory.f64(size * SOLVE_WIDTH);
          for (let i = 0; i < sides.length; i++) sides[i] = ((i * 7919) % 13) - 6;
          const wanted = sides.slice();
          solveKernels(memory).ldlSolve(factor, sides, memory.u8(size), 0);
          for (let i = 0; i < size; i++) {
            for (let k = 0; k < SOLVE_WIDTH; k++) {
              const got = dense[i].reduce((sum, a, j) => sum + a * sides[j * SOLVE_WIDTH + k], 0);
              expect(got).toBeCloseTo(wanted[i * SOLVE_WIDTH + k], 7);
            }
          }
        },
      ),
      { numRuns: 40, seed: 3 },
    );
  });

  test('what is colder than asked for is passed over, and nothing is off by much more than that', async () => {
    // Two arms of 200, each from its tip inward, that meet in the last row.
    const size = 401;
    const arms = [0, 200].flatMap((tip) =>
      Array.from({ length: 200 }, (_, i) => [tip + i, i < 199 ? tip + i + 1 : 400] as const),
    );
    const matrix = compress(laplacian(size, arms, 0.05));
    const memory = await kernelsFor[kind](matrix);
    const { factor } = factorize(memory, matrix, planFactor(matrix));
    const solve = (tiny: number): { warm: Float64Array; quiet: Uint8Array } => {
      const warm = memory.f64(size * SOLVE_WIDTH);
      const quiet = memory.u8(size);
      for (let k = 0; k < SOLVE_WIDTH; k++) warm[30 * SOLVE_WIDTH + k] = 0.05;
      solveKernels(memory).ldlSolve(factor, warm, quiet, tiny);
      return { warm, quiet };
    };
    const [exact, near] = [solve(0), solve(1e-5)];
    expect(near.warm[30 * SOLVE_WIDTH]).toBeGreaterThan(0.1);
    expect(Math.max(...near.warm.map((x, i) => Math.abs(x - exact.warm[i])))).toBeLessThan(3e-5);
    // The other arm is passed over whole.
    expect(near.quiet.subarray(200).every((one) => one === 1)).toBe(true);
    expect(near.warm.subarray(200 * SOLVE_WIDTH).every((x) => x === 0)).toBe(true);
    expect(exact.warm.subarray(200 * SOLVE_WIDTH).some((x) => x > 0)).toBe(true);
  });

  test('a matrix without a solution is refused, naming the row', async () => {
    const matrix = compress(
      laplacian(3, [[0, 1]], 0).map((row, i) => row.map((x, k) => (i === 2 && k === 2 ? 1 : x))),
    );
    const memory = await kernelsFor[kind](matrix);
    expect(() => factorize(memory, matrix, planFactor(matrix))).toThrow(
      expect.objectContaining({ code: 'no-solution', detail: { row: 1 } }),
    );
  });
});

describe('nestedDissection', () => {
  const { positions, triangles } = grid(32, 24);
  const offsets = Uint32Array.from({ length: triangles.length / 3 + 1 }, (_, t) => t * 3);
  const neighbours = findNeighbours({ offsets, points: triangles }, positions.length / 3);

  /** Entries of the factor when points are eliminated in an order. */
  const fill = (order: ArrayLike<number>): number => {
    const place = new Map(Array.from(order, (p, i) => [p, i]));
    const edges: [number, number][] = [];
    for (let p = 0; p + 1 < neighbours.offsets.length; p++)
      for (let e = neighbours.offsets[p]; e < neighbours.offsets[p + 1]; e++)
        edges.push([place.get(p) as number, place.get(neighbours.points[e]) as number]);
    return planFactor(compress(laplacian(place.size, edges, 1))).columnStarts[place.size];
  };

  test('is an order of all points, and fills a grid far less than going row by row', () => {
    const order = nestedDissection(positions, neighbours, createPlainMemory());
    expect([...order].sort((a, b) => a - b)).toEqual([...order.keys()]);
    expect(fill(order)).toBeLessThan(0.85 * fill([...order.keys()]));
  });
});
