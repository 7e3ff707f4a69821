import { describe, expect, test } from '@jest/globals';
import { skeletonOf } from '../testing/testBody.ts';
import { mirroredName, pairJoints, sidesOf } from './pairs.ts';
import { sideOfName } from './skeleton.ts';

describe('mirroredName', () => {
  test.each([
    ['arm_l', 'arm_r'],
    ['arm_R', 'arm_L'],
    ['arm.L', 'arm.R'],
    ['l_arm', 'r_arm'],
    ['L arm 2', 'R arm 2'],
    ['LeftArm', 'RightArm'],
    ['handLeft', 'handRight'],
    ['RIGHT_foot', 'LEFT_foot'],
    ['rig:left_toe.003', 'rig:right_toe.003'],
  ])('%s against %s', (name, other) => {
    expect(mirroredName(name)).toBe(other);
    expect(mirroredName(other)).toBe(name);
  });

  test.each(['spine', 'tail_1', 'skull', ''])('%s has no other side', (name) =>
    expect(mirroredName(name)).toBeUndefined(),
  );
});

test('pairs by name first, then by place; the middle is its own partner', () => {
  const places: [string, number, [number, number, number]][] = [
    ['hips', -1, [0, 1, 0]],
    ['leg_L', 0, [1, 0, 0]],
    ['leg_R', 0, [-1.2, 0, 0]],
    ['knob', 0, [2, 2, 0]],
    ['stud', 0, [-2.05, 2, 0]],
    ['patch', 0, [3, 5, 0]],
  ];
  const skeleton = skeletonOf(places);
  const at = Float32Array.from(places.flatMap(([, , place]) => place));
  at[0] = -0.1;
  const { partner, basis, axis } = pairJoints(skeleton, at, 0.3);
  expect(axis).toBe(0);
  expect([...partner]).toEqual([0, 2, 1, 4, 3, -1]);
  expect(basis).toEqual([undefined, 'name', 'name', 'place', 'place', undefined]);
});

test('a side needs a partner, or a place off the middle; a partner found by place makes one', () => {
  const joints: [string, number, [number, number, number]][] = [
    ['Root_Pelvis_L', -1, [0, 1, 0]],
    ['leg_L', 0, [1, 0, 0]],
    ['leg_R', 0, [-1, 0, 0]],
    ['knob', 0, [2, 2, 0]],
    ['stud', 0, [-2, 2, 0]],
    ['patch_r', 0, [-3, 5, 0]],
    ['spine', 0, [0, 2, 0]],
  ];
  const bare = skeletonOf(joints);
  const skeleton = { joints: bare.joints.map((joint) => ({ ...joint, side: sideOfName(joint.name) })) };
  const places = Float32Array.from(joints.flatMap(([, , place]) => place));
  const pairs = pairJoints(skeleton, places, 0.1);
  expect(sidesOf(skeleton, places, pairs, 0.1)).toEqual([
    'middle',
    'left',
    'right',
    'left',
    'right',
    'right',
    'middle',
  ]);
});
