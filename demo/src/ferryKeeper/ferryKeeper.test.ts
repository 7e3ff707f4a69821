import { beforeAll, describe, expect, test } from '@jest/globals';
import { describe as figuresOf } from '@judoka/core/analysis/checkUp';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { rowSum } from '@judoka/core/weights';
import type { Character } from '@judoka/core/document';
import { makeFerryKeeper, makeFerryKeeperMeshes } from './ferryKeeper.ts';
import { JOINT_NAMES } from './skeleton.ts';

let faulty: Character;
let sound: Character;

beforeAll(async () => {
  faulty = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: true })));
  sound = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: false })));
});

test('the same bytes at every call', async () => {
  const options = { size: 'small', faults: true } as const;
  expect(await makeFerryKeeper(options)).toEqual(await makeFerryKeeper(options));
});

test('about 8k points of body, 60 joints, three clips, the quads recovered', () => {
  const { parts, joints, clips } = figuresOf(sound);
  expect(parts.map(({ name }) => name)).toEqual([
    'body',
    'eyes',
    'beak upper',
    'beak lower',
    'cape',
    'scarf',
    'satchel',
    'lantern',
  ]);
  expect(parts[0].points).toBeGreaterThan(7000);
  expect(parts[0].points).toBeLessThan(9000);
  expect(joints).toBe(60);
  expect(clips).toBe(3);
  // A few quads at the roots of the toes are so dented that each half faces another way; they stay triangles.
  for (const part of parts) expect(part.quads / part.polygons).toBeGreaterThan(0.998);
  expect(parts[0].vertices).toBeGreaterThan(parts[0].points);
});

test('without faults: every point weighted, sums one, at most four influences, left and right alike', () => {
  for (const part of figuresOf(sound).parts) {
    expect(part).toMatchObject({ unweighted: 0 });
    expect(part.maxInfluences).toBeLessThanOrEqual(4);
    expect(part.sumMin).toBeGreaterThan(1 - 1e-6);
  }
  const { positions } = makeFerryKeeperMeshes({ size: 'small', faults: false }).meshes[0];
  const key = (x: number, y: number, z: number): string =>
    [x, y, z].map((n) => (Math.round(n * 1e4) / 1e4 + 0).toFixed(4)).join();
  const places = new Set<string>();
  for (let i = 0; i < positions.length; i += 3)
    places.add(key(positions[i], positions[i + 1], positions[i + 2]));
  let unpaired = 0;
  for (let i = 0; i < positions.length; i += 3)
    if (!places.has(key(-positions[i], positions[i + 1], positions[i + 2]))) unpaired++;
  expect(unpaired / (positions.length / 3)).toBeLessThan(0.02);
});

describe('planted faults', () => {
  const { meshes, planted } = makeFerryKeeperMeshes({ size: 'small', faults: true });
  const pointsOf = (code: string): readonly number[] =>
    planted.find((fault) => fault.code === code)?.points ?? [];
  const joint = (name: string): number => JOINT_NAMES.indexOf(name);
  const weights = (part: string, point: number): ReadonlyMap<number, number> =>
    meshes.find(({ name }) => name === part)?.weights[point] ?? new Map();

  test.each(planted.map(({ code }) => code))('%s is there', (code) => {
    expect(pointsOf(code).length).toBeGreaterThan(5);
  });

  test('they are what they say', () => {
    for (const p of pointsOf('wrong-leg'))
      expect(weights('body', p).get(joint('knee_R'))).toBeGreaterThan(0.3);
    for (const p of pointsOf('heel-on-knee')) expect(weights('body', p).get(joint('knee_R'))).toBe(1);
    for (const p of pointsOf('tied-to-root')) expect(weights('body', p).get(joint('root'))).toBe(1);
    for (const p of pointsOf('cape-without-weights')) expect(weights('cape', p).size).toBe(0);
  });

  test('the file shows them on arrival', () => {
    const parts = figuresOf(faulty).parts;
    expect(parts.find(({ name }) => name === 'body')).toMatchObject({
      maxInfluences: 6,
      sumMax: expect.closeTo(100, 3),
    });
    expect(parts.find(({ name }) => name === 'cape')?.unweighted).toBe(
      pointsOf('cape-without-weights').length,
    );
    for (const rows of faulty.rows) {
      for (let p = 0; p < rows.pointCount; p++) {
        const sum = rowSum(rows, p);
        expect(sum === 0 || Math.abs(sum - 1) < 1e-6).toBe(true);
      }
    }
  });
});
