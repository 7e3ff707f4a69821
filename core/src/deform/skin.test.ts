import { describe, expect, test } from '@jest/globals';
import { mat4 } from 'gl-matrix';
import fc from 'fast-check';
import { rowsFrom } from '../testing/shapes.ts';
import { copyRow } from '../weights/delta.ts';
import type { SkinArrays } from './skin.ts';
import { createRowsIn } from '../weights/rows.ts';
import { skinKernels } from './skinKernels.ts';
import { createPlainMemory, type KernelMemory } from '../memory/kernelMemory.ts';
import { createKernelMemory } from '../memory/wasmMemory.ts';

const wasm = await createKernelMemory(4 << 20);
const plain = createPlainMemory();

function arraysOf(
  memory: KernelMemory,
  rest: number[],
  normals: number[],
  rows: Record<number, number>[],
  matrices: mat4[],
  stride = 8,
): SkinArrays {
  const arrays = {
    rest: memory.f32(rest.length),
    restNormals: memory.f32(rest.length),
    rows: createRowsIn(memory, rows.length, stride),
    palette: memory.f32((matrices.length + 1) * 16),
    positions: memory.f32(rest.length),
    normals: memory.f32(rest.length),
  };
  arrays.rest.set(rest);
  arrays.restNormals.set(normals);
  const source = rowsFrom(rows, stride);
  rows.forEach((_, p) => copyRow(source, p, arrays.rows, p));
  [...matrices, mat4.create()].forEach((matrix, j) => arrays.palette.set(matrix, j * 16));
  return arrays;
}

const turnZ = (degrees: number): mat4 => mat4.fromZRotation(mat4.create(), (degrees * Math.PI) / 180);

describe.each([plain, wasm])('linear blend skinning ($kind)', (memory) => {
  test('a tube twisted by θ at equal weights shrinks to cos(θ/2) of its radius', () => {
    const half = 120;
    const arrays = arraysOf(memory, [1, 0, 0], [1, 0, 0], [{ 0: 0.5, 1: 0.5 }], [mat4.create(), turnZ(half)]);
    skinKernels(memory).skinRange(arrays, 0, 1);
    expect(Math.hypot(arrays.positions[0], arrays.positions[1])).toBeCloseTo(
      Math.cos((half * Math.PI) / 360),
      6,
    );
    // The normal is set to length one again and points along the mean turn.
    expect(arrays.normals[0]).toBeCloseTo(Math.cos(Math.PI / 3), 6);
    expect(arrays.normals[1]).toBeCloseTo(Math.sin(Math.PI / 3), 6);
  });

  test('an unweighted point stays where the part stands', () => {
    const arrays = arraysOf(memory, [1, 2, 3], [0, 0, 1], [{}], [turnZ(90)]);
    arrays.palette.set(mat4.fromTranslation(mat4.create(), [10, 0, 0]), 16);
    skinKernels(memory).skinRange(arrays, 0, 1);
    expect([...arrays.positions]).toEqual([11, 2, 3]);
  });

  test('a list leaves all other points as they were, and packed results stand in its order', () => {
    const rest = [1, 0, 0, 2, 0, 0, 3, 0, 0];
    const rows = [{ 0: 1 }, { 0: 1 }, { 0: 1 }];
    const arrays = arraysOf(memory, rest, [0, 0, 1, 0, 0, 1, 0, 0, 1], rows, [turnZ(90)]);
    const list = { points: memory.u32(2), count: 1 };
    list.points.set([1]);
    arrays.positions.fill(7);
    skinKernels(memory).skinList(arrays, list);
    expect([...arrays.positions].map((x) => Math.round(x * 1e5) / 1e5)).toEqual([7, 7, 7, 0, 2, 0, 7, 7, 7]);
    list.points.set([2, 0]);
    const packed = { ...arrays, positions: memory.f32(6), normals: memory.f32(6) };
    const slots = memory.u32(2);
    slots.set([0, 1]);
    skinKernels(memory).skinSlots(packed, { points: list.points, count: 2 }, slots);
    expect([...packed.positions].map((x) => Math.round(x * 1e5) / 1e5 + 0)).toEqual([0, 3, 0, 0, 1, 0]);
  });
});

test('the memory agree within f32, for one to eight influences', () => {
  const matrix = fc
    .tuple(fc.double({ min: -180, max: 180, noNaN: true }), fc.double({ min: -2, max: 2, noNaN: true }))
    .map(([degrees, shift]) => mat4.translate(mat4.create(), turnZ(degrees), [shift, -shift, 1]));
  fc.assert(
    fc.property(
      fc.array(matrix, { minLength: 8, maxLength: 8 }),
      fc.integer({ min: 1, max: 8 }),
      (matrices, count) => {
        const row = Object.fromEntries(Array.from({ length: count }, (_, j) => [j, Math.fround(1 / count)]));
        const [a, b] = [createPlainMemory(), wasm].map((memory) => {
          const arrays = arraysOf(memory, [0.3, -0.7, 1.1], [0, 0, 1], [row], matrices);
          skinKernels(memory).skinRange(arrays, 0, 1);
          return arrays;
        });
        for (let k = 0; k < 3; k++) {
          expect(Math.abs(a.positions[k] - b.positions[k])).toBeLessThan(1e-5);
          expect(Math.abs(a.normals[k] - b.normals[k])).toBeLessThan(1e-5);
        }
      },
    ),
    { numRuns: 60 },
  );
});

test('an array from elsewhere is refused by the WebAssembly kernels', () => {
  const arrays = arraysOf(wasm, [1, 0, 0], [0, 0, 1], [{ 0: 1 }], [mat4.create()]);
  expect(() => skinKernels(wasm).skinRange({ ...arrays, rest: new Float32Array(3) }, 0, 1)).toThrow(
    /does not lie in its memory/,
  );
});
