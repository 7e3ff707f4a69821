import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { mat4 } from 'gl-matrix';
import { rowsFrom } from '../testing/shapes.ts';
import { copyRow } from '../weights/delta.ts';
import type { SkinArrays } from './skin.ts';
import { createDualPalette, fillDualPalette, type DualPalette } from './skinDual.ts';
import { createRowsIn } from '../weights/rows.ts';
import { skinKernels } from './skinKernels.ts';
import { createPlainMemory, type KernelMemory } from '../memory/kernelMemory.ts';
import { createKernelMemory } from '../memory/wasmMemory.ts';

const wasm = await createKernelMemory(8 << 20);
const plain = createPlainMemory();

/** A set-up for the given points; the last matrix is where the part stands. */
function setUp(
  memory: KernelMemory,
  rest: readonly number[],
  rows: Record<number, number>[],
  matrices: readonly mat4[],
  stand = mat4.create(),
): { arrays: SkinArrays; dual: DualPalette } {
  const arrays: SkinArrays = {
    rest: memory.f32(rest.length),
    restNormals: memory.f32(rest.length),
    rows: createRowsIn(memory, rows.length, 8),
    palette: memory.f32((matrices.length + 1) * 16),
    positions: memory.f32(rest.length),
    normals: memory.f32(rest.length),
  };
  arrays.rest.set(rest);
  for (let p = 0; p < rest.length; p += 3) arrays.restNormals.set([0, 0, 1], p);
  const source = rowsFrom(rows, 8);
  rows.forEach((_, p) => copyRow(source, p, arrays.rows, p));
  [...matrices, stand].forEach((matrix, j) => arrays.palette.set(matrix, j * 16));
  const dual = createDualPalette(matrices.length, memory);
  fillDualPalette(arrays.palette, dual);
  return { arrays, dual };
}

const turnZ = (degrees: number): mat4 => mat4.fromZRotation(mat4.create(), (degrees * Math.PI) / 180);

describe.each([plain, wasm])('dual quaternion skinning ($kind)', (memory) => {
  test.each([30, 90, 150, -120])('a tube twisted by %i° at equal weights keeps its radius', (degrees) => {
    const { arrays, dual } = setUp(memory, [2, 0, 1], [{ 0: 0.5, 1: 0.5 }], [mat4.create(), turnZ(degrees)]);
    skinKernels(memory).skinDualRange(arrays, dual, 0, 1);
    const half = (degrees * Math.PI) / 360;
    expect([...arrays.positions]).toEqual(
      [2 * Math.cos(half), 2 * Math.sin(half), 1].map((x) => expect.closeTo(x, 5)),
    );
    skinKernels(memory).skinRange(arrays, 0, 1);
    // Linear skinning thins it to the cosine of half the twist.
    expect(Math.hypot(arrays.positions[0], arrays.positions[1])).toBeCloseTo(2 * Math.cos(half), 5);
  });

  test('one joint alone, and an unweighted point, are moved as matrices move them', () => {
    const moved = mat4.fromRotationTranslation(mat4.create(), [0, Math.SQRT1_2, 0, Math.SQRT1_2], [3, 4, 5]);
    const stand = mat4.fromTranslation(mat4.create(), [0, 7, 0]);
    const { arrays, dual } = setUp(memory, [1, 2, 3, 1, 2, 3], [{ 0: 1 }, {}], [moved], stand);
    skinKernels(memory).skinDualRange(arrays, dual, 0, 2);
    expect([...arrays.positions]).toEqual([6, 6, 4, 1, 9, 3].map((x) => expect.closeTo(x, 5)));
  });

  test('a stretch that all joints share comes first; one that differs is counted and left out', () => {
    const scaled = (matrix: mat4): mat4 => mat4.scale(mat4.create(), matrix, [0.01, 0.01, 0.01]);
    const { arrays, dual } = setUp(
      memory,
      [200, 0, 0],
      [{ 0: 0.5, 1: 0.5 }],
      [scaled(mat4.create()), scaled(turnZ(90))],
      scaled(mat4.create()),
    );
    expect(dual).toMatchObject({ stretched: true, uneven: 0 });
    skinKernels(memory).skinDualRange(arrays, dual, 0, 1);
    expect([...arrays.positions]).toEqual([Math.SQRT2, Math.SQRT2, 0].map((x) => expect.closeTo(x, 5)));
    const odd = setUp(memory, [1, 0, 0], [{ 0: 1 }], [mat4.fromScaling(mat4.create(), [2, 2, 2])]);
    expect(odd.dual.uneven).toBe(1);
  });

  test('points into slots of their own, the others left alone', () => {
    const { arrays, dual } = setUp(memory, [1, 0, 0, 2, 0, 0], [{ 0: 1 }, { 0: 1 }], [turnZ(90)]);
    const list = { points: memory.u32(1), count: 1 };
    const slots = memory.u32(1);
    list.points[0] = 1;
    skinKernels(memory).skinDualSlots(arrays, dual, list, slots);
    expect([...arrays.positions]).toEqual([0, 2, 0, 0, 0, 0].map((x) => expect.closeTo(x, 5)));
  });
});

test('both memory agree, whatever the turns; rigid turns keep distances', () => {
  const angle = fc.double({ min: -3, max: 3, noNaN: true });
  const turn = fc.tuple(angle, angle, angle).map(([x, y, z]) => {
    const matrix = mat4.fromXRotation(mat4.create(), x);
    mat4.rotateY(matrix, matrix, y);
    mat4.rotateZ(matrix, matrix, z);
    return mat4.translate(matrix, matrix, [x, z, y]);
  });
  fc.assert(
    fc.property(turn, turn, turn, fc.double({ min: 0.05, max: 0.9, noNaN: true }), (a, b, c, w) => {
      const rows: Record<number, number>[] = [
        { 0: 1 - w, 1: w },
        { 0: w / 2, 1: w / 2, 2: 1 - w },
        { 2: 1 },
        { 2: 1 },
      ];
      const rest = [1, 2, 3, -2, 0.5, 1, 1, 0, 0, 0, 1, 0];
      const [one, other] = [plain, wasm].map((memory) => {
        const { arrays, dual } = setUp(memory, rest, rows, [a, b, c]);
        skinKernels(memory).skinDualRange(arrays, dual, 0, 4);
        return arrays;
      });
      one.positions.forEach((x, i) => expect(other.positions[i]).toBeCloseTo(x, 3));
      one.normals.forEach((x, i) => expect(other.normals[i]).toBeCloseTo(x, 3));
      const p = one.positions;
      expect(Math.hypot(p[6] - p[9], p[7] - p[10], p[8] - p[11])).toBeCloseTo(Math.SQRT2, 4);
    }),
    { numRuns: 30 },
  );
});
