import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { countBytes } from '../memory/countBytes.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';
import { createKernelMemory } from '../memory/wasmMemory.ts';
import { computeNormals } from '../mesh/normals.ts';
import { findNeighbours } from '../mesh/topology.ts';
import { tube } from '../testing/testBody.ts';
import { deformerOf, SKINNINGS, type Skinning } from './deformer.ts';
import { layRelaxScratch, relaxedDeformer } from './relaxedDeformer.ts';
import { laySkin, type SkinArrays } from './skin.ts';
import { createDualPalette } from './skinDual.ts';
import { DEFAULT_RELAXING, SurfaceRelaxer } from './SurfaceRelaxer.ts';

const shape = tube(-4, 4, 0, 0);
const rest = Float32Array.from(shape.positions);
const triangles = Uint32Array.from(shape.triangles);
const pointCount = rest.length / 3;
const restNormals = computeNormals(rest, triangles);

/** Two joints: one stays, one turns about z; every point has a share of the second by where it stands. */
async function bentTube(skinning: Skinning) {
  const lay = (memory: KernelMemory) => ({
    skin: laySkin(memory, pointCount, 4, 2),
    dual: createDualPalette(2, memory),
    scratch: layRelaxScratch(memory),
    list: memory.u32(pointCount),
    slots: memory.u32(pointCount),
  });
  const memory = await createKernelMemory(countBytes(lay));
  const laid = lay(memory);
  const { skin, dual } = laid;
  skin.rest.set(rest);
  skin.restNormals.set(restNormals);
  for (let p = 0; p < pointCount; p++) setShare(skin, p, rest[p * 3] > 0 ? 1 : 0);
  const [c, s] = [Math.cos(1.2), Math.sin(1.2)];
  skin.palette.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]);
  skin.palette.set([c, s, 0, 0, -s, c, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], 16);
  const offsets = Uint32Array.from({ length: triangles.length / 3 + 1 }, (_, t) => t * 3);
  const mesh = {
    ...{ pointCount, triangles, rest, restNormals },
    neighbours: findNeighbours({ offsets, points: triangles }, pointCount),
  };
  const relaxer = await SurfaceRelaxer.create(mesh, { ...DEFAULT_RELAXING, passes: 3 });
  const plain = deformerOf(skinning, memory);
  const deformer = relaxedDeformer(plain, new Map([[skin.rest, relaxer]]), laid.scratch);
  deformer.prepare(skin.palette, dual);
  return { ...laid, plain, deformer, relaxer };
}

function setShare({ rows }: SkinArrays, p: number, share: number): void {
  const at = p * rows.stride;
  rows.joints.set(share > 0.5 ? [1, 0] : [0, 1], at);
  rows.values.set([Math.max(share, 1 - share), Math.min(share, 1 - share)], at);
}

const points = fc.uniqueArray(fc.nat(pointCount - 1), { minLength: 1, maxLength: 8 });

describe.each(SKINNINGS)('%s', (skinning) => {
  test('all of it is skinned, then relaxed', async () => {
    const { skin, dual, plain, deformer, relaxer } = await bentTube(skinning);
    plain.skinRange(skin, dual, 0, pointCount);
    const expected = [skin.positions.slice(), skin.normals.slice()] as const;
    relaxer.relaxAll(...expected);
    deformer.skinRange(skin, dual, 0, pointCount);
    expect(skin.positions).toEqual(expected[0]);
    expect(skin.normals).toEqual(expected[1]);
  });

  test('listed points come to lie where the whole puts them, in their places or in slots', async () => {
    const { skin, dual, deformer, list, slots } = await bentTube(skinning);
    deformer.skinRange(skin, dual, 0, pointCount);
    const whole = skin.positions.slice();
    fc.assert(
      fc.property(points, (some) => {
        list.set(some);
        slots.set(some.map((_, i) => i));
        const asked = { points: list, count: some.length };
        for (const p of some) skin.positions.fill(9, p * 3, p * 3 + 3);
        deformer.skinList(skin, dual, asked);
        expect(skin.positions).toEqual(whole);
        const own = { ...skin, positions: skin.positions.slice(), normals: skin.normals.slice() };
        deformer.skinSlots(own, dual, asked, slots);
        some.forEach((p, i) =>
          expect(own.positions.subarray(i * 3, i * 3 + 3)).toEqual(whole.subarray(p * 3, p * 3 + 3)),
        );
      }),
      { numRuns: 20 },
    );
  });

  test('what depends on written rows is all that moves', async () => {
    const { skin, dual, deformer, list } = await bentTube(skinning);
    deformer.skinRange(skin, dual, 0, pointCount);
    fc.assert(
      fc.property(points, fc.double({ min: 0, max: 1, noNaN: true }), (some, share) => {
        for (const p of some) setShare(skin, p, share);
        list.set(some);
        const affected = deformer.affectedBy(skin, { points: list, count: some.length });
        expect(affected.count).toBeGreaterThan(some.length);
        deformer.skinList(skin, dual, affected);
        const followed = skin.positions.slice();
        deformer.skinRange(skin, dual, 0, pointCount);
        expect(followed).toEqual(skin.positions);
      }),
      { numRuns: 20 },
    );
  });
});

test('a part without a relaxer is skinned alone', async () => {
  const { skin, dual, plain, scratch, list } = await bentTube('linear');
  const deformer = relaxedDeformer(plain, new Map(), scratch);
  plain.skinRange(skin, dual, 0, pointCount);
  const skinned = skin.positions.slice();
  deformer.skinRange(skin, dual, 0, pointCount);
  expect(skin.positions).toEqual(skinned);
  const asked = { points: list, count: 1 };
  expect(deformer.affectedBy(skin, asked)).toBe(asked);
});
