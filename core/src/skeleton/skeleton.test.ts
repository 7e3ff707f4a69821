import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  anglesFromRotation,
  buildPalette,
  poseWorld,
  REST_JOINT,
  REST_POSE,
  rotationFromAngles,
  turned,
  withJoint,
} from './pose.ts';
import { otherSideName, restWorld, sideOfName, subtreeOf, type Joint, type Skeleton } from './skeleton.ts';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
const joint = (name: string, parent: number, translation: Joint['translation']): Joint => ({
  id: name,
  name,
  parent,
  side: 'middle',
  named: true,
  offset: IDENTITY,
  translation,
  rotation: [0, 0, 0, 1],
  scale: [1, 1, 1],
  node: 0,
});
const chain: Skeleton = {
  joints: [joint('a', -1, [0, 0, 0]), joint('b', 0, [0, 1, 0]), joint('c', 1, [0, 1, 0])],
};

test('a quarter turn of the middle joint carries its child to the side', () => {
  const world = new Float32Array(48);
  const pose = withJoint(REST_POSE, 1, turned(REST_JOINT, 'z', 90));
  poseWorld(chain, pose, world);
  expect(world[2 * 16 + 12]).toBeCloseTo(-1, 6);
  expect(world[2 * 16 + 13]).toBeCloseTo(1, 6);
  expect(subtreeOf(chain, 1)).toEqual([1, 2]);
});

test('at rest the palette of matching binds is the identity', () => {
  const world = restWorld(chain);
  const binds = new Float32Array(64);
  [0, -1, -2].forEach((y, j) => binds.set([...IDENTITY.slice(0, 13), y, 0, 1], j * 16));
  binds.set(IDENTITY, 48);
  const palette = new Float32Array(64);
  buildPalette(world, binds, palette);
  for (let j = 0; j < 4; j++) expect([...palette.subarray(j * 16, j * 16 + 16)]).toEqual(IDENTITY);
});

test('a joint that comes back to rest leaves the pose', () => {
  const pose = withJoint(REST_POSE, 2, { translation: [1, 0, 0] });
  expect(Object.keys(pose)).toEqual(['2']);
  expect(withJoint(pose, 2, REST_JOINT)).toEqual({});
});

describe('angles', () => {
  const angle = fc.double({ min: -179, max: 179, noNaN: true });
  const steep = fc.double({ min: -89, max: 89, noNaN: true });

  test('typed angles come back', () => {
    fc.assert(
      fc.property(angle, steep, angle, (x, y, z) => {
        const back = anglesFromRotation(rotationFromAngles([x, y, z]));
        [x, y, z].forEach((value, k) => expect(back[k]).toBeCloseTo(value, 2));
      }),
    );
  });

  test('looking along the middle axis the turn is still the same', () => {
    for (const y of [90, -90]) {
      const rotation = rotationFromAngles([30, y, 20]);
      const again = rotationFromAngles(anglesFromRotation(rotation));
      const dot = rotation.reduce((sum, n, k) => sum + n * again[k], 0);
      expect(Math.abs(dot)).toBeCloseTo(1, 5);
    }
  });
});

test.each([
  ['wing_l', 'left'],
  ['wing.R', 'right'],
  ['L_wing', 'left'],
  ['LeftWing', 'left'],
  ['wingRight', 'right'],
  ['shoulder_L', 'left'],
  ['mixer:RightArm', 'right'],
  ['tail', 'middle'],
  ['Lantern', 'middle'],
  ['roll', 'middle'],
  ['leftover', 'middle'],
])('the side of “%s” is %s', (name, side) => {
  expect(sideOfName(name)).toBe(side);
});

test.each([
  ['wing_L', 'wing_R'],
  ['l.wing', 'r.wing'],
  ['LeftArm', 'RightArm'],
  ['hand_RIGHT', 'hand_LEFT'],
  ['smile left 2', 'smile right 2'],
])('the other side of “%s” is called “%s”, and back', (name, other) => {
  expect(otherSideName(name)).toBe(other);
  expect(otherSideName(other)).toBe(name);
});

test('what tells no side has no other', () => expect(otherSideName('neck')).toBeUndefined());
