import { beforeAll, describe, expect, test } from '@jest/globals';
import { followPart } from '../../document/followPart.ts';
import { skinPart } from '../../document/skinPart.ts';
import type { CharacterPart } from '../../document/character.ts';
import { computeNormals } from '../../mesh/normals.ts';
import { type Pose, REST_JOINT, rotationFromAngles } from '../../skeleton/pose.ts';
import { partOf, tube } from '../../testing/testBody.ts';
import { bentTube } from '../../testing/testTube.ts';
import { createRows } from '../../weights/rows.ts';
import { PartLook, type PosableCharacter } from '../PartLook.ts';
import { eachShare, type Hold } from './hold.ts';
import { weightsAlong } from './weightsAlong.ts';

const PLACES = [
  [-4, 0, 0],
  [0, 0, 0],
] as const;

/** A coarse cage that bends at x = 0, and a finer tube within it that no joint moves. */
function caged(
  inner = tube(-3, 3, 0, 0, { radius: 0.5, rings: 25 }),
  isTorn = false,
): PosableCharacter & {
  readonly parts: readonly CharacterPart[];
} {
  const cage = bentTube((x) => 0.5 + x / 2, {
    ...{ rings: 9, around: 8 },
    torn: (ring, around) => isTorn && ring === 2 && around === 1,
  });
  const part = partOf('inner', inner.positions, inner.triangles, PLACES);
  const rows = createRows(part.pointCount);
  for (let p = 0; p < part.pointCount; p++) rows.values[p * 8] = 1;
  const own = { ...part, normals: computeNormals(part.positions, part.triangles) };
  return {
    parts: [cage.parts[0] as CharacterPart, own],
    skeleton: cage.skeleton,
    rows: [cage.rows[0], rows],
  };
}

const turned = (...angles: [number, number, number]): Pose[number] => ({
  ...REST_JOINT,
  rotation: rotationFromAngles(angles),
});

const farthest = (a: ArrayLike<number>, b: ArrayLike<number>): number => {
  let most = 0;
  for (let i = 0; i < a.length; i++) most = Math.max(most, Math.abs(a[i] - b[i]));
  return most;
};

describe('a part in a closed coarse one', () => {
  const body = caged();
  let hold: Hold;
  let at: PartLook;
  beforeAll(async () => {
    hold = await followPart(body, 1, 0);
    at = await PartLook.create(body, 1, { skinning: 'linear', following: [undefined, { driver: 0, hold }] });
  });

  test('holds on to it as a cage, and is within it', () => {
    expect(hold.kind).toBe('cage');
    expect(Math.max(...hold.heights)).toBeLessThan(0);
    for (const p of [0, 100]) {
      let sum = 0;
      eachShare(hold, p, (_, share) => (sum += share));
      expect(sum).toBeCloseTo(1, 2);
    }
  });

  test('stays at rest, and goes where the whole goes; listed points as all of them', () => {
    const rest = skinPart(body, 1, {}, true);
    expect(farthest(at.at({}).positions, rest.positions)).toBeLessThan(1e-4);
    expect(farthest(at.at({}).normals, rest.normals)).toBeLessThan(1e-3);
    const pose: Pose = { 0: { ...turned(20, 30, -40), translation: [1, 2, 3], scale: [2, 2, 2] } };
    const whole = skinPart(body, 1, pose, false);
    expect(farthest(at.at(pose).positions, whole.positions)).toBeLessThan(1e-3);
    expect(farthest(at.at(pose).normals, whole.normals)).toBeLessThan(1e-3);
  });

  test('bends within it, and plain weights are near that', () => {
    const pose: Pose = { 1: turned(0, 0, 60) };
    const inner = at.at(pose).positions.slice();
    const own = skinPart(body, 1, pose, false).positions;
    expect(farthest(inner, own)).toBeGreaterThan(1);
    const rows = [body.rows[0], weightsAlong(body.rows, [undefined, { driver: 0, hold }], 1)];
    const plain = skinPart({ ...body, rows }, 1, pose, false).positions;
    expect(farthest(inner, plain)).toBeLessThan(0.3);
  });
});

test.each([
  ['with a hole', caged(undefined, true)],
  ['that most of it lies outside of', caged(tube(-3, 3, 0, 0, { radius: 1.4, rings: 9 }))],
])('of a part %s the surface is followed', async (_, body) => {
  expect((await followPart(body, 1, 0)).kind).toBe('surface');
});
