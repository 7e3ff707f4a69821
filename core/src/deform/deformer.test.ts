import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { mat4 } from 'gl-matrix';
import { createPlainMemory, type KernelMemory } from '../memory/kernelMemory.ts';
import { createKernelMemory } from '../memory/wasmMemory.ts';
import { deformerOf, SKINNINGS, type Skinning } from './deformer.ts';
import { laySkin, type SkinArrays } from './skin.ts';
import { createDualPalette, type DualPalette } from './skinDual.ts';

const POINTS = 40;
const JOINTS = 3;
const wasm = await createKernelMemory(4 << 20);
const memories: readonly KernelMemory[] = [createPlainMemory(), wasm];

interface Skin {
  readonly arrays: SkinArrays;
  readonly dual: DualPalette;
}
const skinIn = (memory: KernelMemory): Skin => ({
  arrays: laySkin(memory, POINTS, 8, JOINTS),
  dual: createDualPalette(JOINTS, memory),
});
/** One in each memory, filled anew for every try. */
const skins = memories.map(skinIn);

const number = fc.double({ min: -3, max: 3, noNaN: true });
const angle = fc.double({ min: -3, max: 3, noNaN: true });
const rigid = fc.tuple(angle, angle, angle, number, number, number).map(([ax, ay, az, x, y, z]) => {
  const matrix = mat4.fromTranslation(mat4.create(), [x, y, z]);
  mat4.rotateX(matrix, matrix, ax);
  mat4.rotateY(matrix, matrix, ay);
  return mat4.rotateZ(matrix, matrix, az);
});
const points = fc.array(fc.tuple(number, number, number, fc.double({ min: 0, max: 1, noNaN: true })), {
  minLength: POINTS,
  maxLength: POINTS,
});
type Points = readonly (readonly [number, number, number, number])[];

/** Points with weights on the first two joints, shared as each says. */
function fill({ arrays }: Skin, cloud: Points, matrices: readonly mat4[]): void {
  const { rest, restNormals, rows, palette } = arrays;
  rows.values.fill(0);
  cloud.forEach(([x, y, z, share], p) => {
    rest.set([x, y, z], p * 3);
    restNormals.set([0, 0, 1], p * 3);
    const own = Math.fround(share);
    rows.joints.set(own >= 0.5 ? [0, 1] : [1, 0], p * 8);
    rows.values.set([Math.max(own, 1 - own), Math.min(own, 1 - own)], p * 8);
  });
  for (let j = 0; j <= JOINTS; j++) palette.set(matrices[Math.min(j, matrices.length - 1)], j * 16);
}

function skinned(skin: Skin, memory: KernelMemory, skinning: Skinning): Float32Array {
  const deformer = deformerOf(skinning, memory);
  deformer.prepare(skin.arrays.palette, skin.dual);
  deformer.skinRange(skin.arrays, skin.dual, 0, POINTS);
  return skin.arrays.positions.slice();
}

describe.each(SKINNINGS)('a %s deformer', (skinning) => {
  test('moves everything alike where all joints do: lengths stay', () => {
    fc.assert(
      fc.property(points, rigid, (cloud, matrix) => {
        memories.forEach((memory, m) => {
          fill(skins[m], cloud, [matrix, matrix, matrix, matrix]);
          const moved = skinned(skins[m], memory, skinning);
          const far = (from: ArrayLike<number>): number =>
            Math.hypot(from[0] - from[3], from[1] - from[4], from[2] - from[5]);
          expect(far(moved)).toBeCloseTo(far(skins[m].arrays.rest), 3);
        });
      }),
      { numRuns: 40 },
    );
  });

  test('does the same in compiled kernels and in plain ones', () => {
    fc.assert(
      fc.property(points, rigid, rigid, (cloud, one, other) => {
        const [plain, compiled] = memories.map((memory, m) => {
          fill(skins[m], cloud, [one, other, one, other]);
          return skinned(skins[m], memory, skinning);
        });
        plain.forEach((x, i) => expect(compiled[i]).toBeCloseTo(x, 3));
      }),
      { numRuns: 40 },
    );
  });

  test('listed points come out as all of them do, the others stay; slots are filled where they are asked', () => {
    const list = [3, 7, 30];
    fc.assert(
      fc.property(points, rigid, rigid, (cloud, one, other) => {
        const memory = createPlainMemory();
        const skin = skinIn(memory);
        fill(skin, cloud, [one, other, one, other]);
        const all = skinned(skin, memory, skinning);
        const deformer = deformerOf(skinning, memory);
        skin.arrays.positions.fill(99);
        deformer.skinList(skin.arrays, skin.dual, { points: Uint32Array.from(list), count: 3 });
        for (let p = 0; p < POINTS; p++) {
          const expected = list.includes(p) ? [...all.subarray(p * 3, p * 3 + 3)] : [99, 99, 99];
          expect([...skin.arrays.positions.subarray(p * 3, p * 3 + 3)]).toEqual(expected);
        }
        skin.arrays.positions.fill(99);
        deformer.skinSlots(
          skin.arrays,
          skin.dual,
          { points: Uint32Array.from(list), count: 3 },
          Uint32Array.of(0, 1, 2),
        );
        list.forEach((p, slot) =>
          expect([...skin.arrays.positions.subarray(slot * 3, slot * 3 + 3)]).toEqual([
            ...all.subarray(p * 3, p * 3 + 3),
          ]),
        );
      }),
      { numRuns: 20 },
    );
  });
});

test('where a point follows one joint whole, both ways of skinning agree', () => {
  fc.assert(
    fc.property(points, rigid, rigid, (cloud, one, other) => {
      const whole = cloud.map(([x, y, z, share]) => [x, y, z, share < 0.5 ? 0 : 1] as const);
      const [linear, dual] = SKINNINGS.map((skinning) => {
        fill(skins[0], whole, [one, other, one, other]);
        return skinned(skins[0], memories[0], skinning);
      });
      linear.forEach((x, i) => expect(dual[i]).toBeCloseTo(x, 3));
    }),
    { numRuns: 30 },
  );
});
