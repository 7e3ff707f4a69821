import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { mat4 } from 'gl-matrix';
import { createPlainKernels, type Kernels } from '../kernels/kernels.ts';
import { createKernels } from '../kernels/wasmKernels.ts';
import { rowsFrom } from '../testing.ts';
import { copyRow } from '../weights/delta.ts';
import type { SkinArrays } from './skin.ts';
import { createDualPalette, fillDualPalette, type DualPalette } from './skinDual.ts';

const wasm = await createKernels(8 << 20);
const plain = createPlainKernels();

/** A set-up for the given points; the last matrix is where the part stands. */
function setUp(
  kernels: Kernels,
  rest: readonly number[],
  rows: Record<number, number>[],
  matrices: readonly mat4[],
  stand = mat4.create(),
): { arrays: SkinArrays; dual: DualPalette } {
  const arrays: SkinArrays = {
    rest: kernels.f32(rest.length),
    restNormals: kernels.f32(rest.length),
    rows: kernels.rows(rows.length, 8),
    palette: kernels.f32((matrices.length + 1) * 16),
    positions: kernels.f32(rest.length),
    normals: kernels.f32(rest.length),
  };
  arrays.rest.set(rest);
  for (let p = 0; p < rest.length; p += 3) arrays.restNormals.set([0, 0, 1], p);
  const source = rowsFrom(rows, 8);
  rows.forEach((_, p) => copyRow(source, p, arrays.rows, p));
  [...matrices, stand].forEach((matrix, j) => arrays.palette.set(matrix, j * 16));
  const dual = createDualPalette(matrices.length, (length) => kernels.f32(length));
  fillDualPalette(arrays.palette, dual);
  return { arrays, dual };
}

const turnZ = (degrees: number): mat4 => mat4.fromZRotation(mat4.create(), (degrees * Math.PI) / 180);

describe.each([plain, wasm])('dual quaternion skinning ($kind)', (kernels) => {
  test.each([30, 90, 150, -120])('a tube twisted by %i° at equal weights keeps its radius', (degrees) => {
    const { arrays, dual } = setUp(kernels, [2, 0, 1], [{ 0: 0.5, 1: 0.5 }], [mat4.create(), turnZ(degrees)]);
    kernels.skinDualRange(arrays, dual, 0, 1);
    const half = (degrees * Math.PI) / 360;
    expect([...arrays.positions]).toEqual(
      [2 * Math.cos(half), 2 * Math.sin(half), 1].map((x) => expect.closeTo(x, 5)),
    );
    kernels.skinRange(arrays, 0, 1);
    // Linear skinning thins it to the cosine of half the twist.
    expect(Math.hypot(arrays.positions[0], arrays.positions[1])).toBeCloseTo(2 * Math.cos(half), 5);
  });

  test('one joint alone, and an unweighted point, are moved as matrices move them', () => {
    const moved = mat4.fromRotationTranslation(mat4.create(), [0, Math.SQRT1_2, 0, Math.SQRT1_2], [3, 4, 5]);
    const stand = mat4.fromTranslation(mat4.create(), [0, 7, 0]);
    const { arrays, dual } = setUp(kernels, [1, 2, 3, 1, 2, 3], [{ 0: 1 }, {}], [moved], stand);
    kernels.skinDualRange(arrays, dual, 0, 2);
    expect([...arrays.positions]).toEqual([6, 6, 4, 1, 9, 3].map((x) => expect.closeTo(x, 5)));
  });

  test('a stretch that all joints share comes first; one that differs is counted and left out', () => {
    const scaled = (matrix: mat4): mat4 => mat4.scale(mat4.create(), matrix, [0.01, 0.01, 0.01]);
    const { arrays, dual } = setUp(
      kernels,
      [200, 0, 0],
      [{ 0: 0.5, 1: 0.5 }],
      [scaled(mat4.create()), scaled(turnZ(90))],
      scaled(mat4.create()),
    );
    expect(dual).toMatchObject({ stretched: true, uneven: 0 });
    kernels.skinDualRange(arrays, dual, 0, 1);
    expect([...arrays.positions]).toEqual([Math.SQRT2, Math.SQRT2, 0].map((x) => expect.closeTo(x, 5)));
    const odd = setUp(kernels, [1, 0, 0], [{ 0: 1 }], [mat4.fromScaling(mat4.create(), [2, 2, 2])]);
    expect(odd.dual.uneven).toBe(1);
  });

  test('points into slots of their own, the others left alone', () => {
    const { arrays, dual } = setUp(kernels, [1, 0, 0, 2, 0, 0], [{ 0: 1 }, { 0: 1 }], [turnZ(90)]);
    const list = { points: kernels.u32(1), count: 1 };
    const slots = kernels.u32(1);
    list.points[0] = 1;
    kernels.skinDualSlots(arrays, dual, list, slots);
    expect([...arrays.positions]).toEqual([0, 2, 0, 0, 0, 0].map((x) => expect.closeTo(x, 5)));
  });
});

test('both kernels agree, whatever the turns; rigid turns keep distances', () => {
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
      const [one, other] = [plain, wasm].map((kernels) => {
        const { arrays, dual } = setUp(kernels, rest, rows, [a, b, c]);
        kernels.skinDualRange(arrays, dual, 0, 4);
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
