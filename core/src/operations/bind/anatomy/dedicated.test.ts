import { describe, expect, test } from '@jest/globals';
import { findDedicated, preferDedicated } from './dedicated.ts';
import type { BindSpace } from '../../../document/space/bindSpace.ts';
import { createNearestJoints, putJoint } from '../nearestJoints.ts';
import { skeletonOf } from '../../../testing/testBody.ts';
import { createPlainMemory } from '../../../memory/kernelMemory.ts';

const skeleton = skeletonOf([
  ['root', -1, [0, 0, 0]],
  ['Chest', 0, [0, 1, 0]],
  ['CapeBack_1', 1, [0, 2, 0]],
  ['CapeBack_2', 2, [0, 3, 0]],
  ['arm_L', 1, [1, 1, 0]],
  ['hand_L', 4, [2, 1, 0]],
]);
/** A body of four points, and two parts of two. */
const space = {
  memory: createPlainMemory(),
  parts: [0, 1, 2],
  firstPoint: Uint32Array.of(0, 4, 6, 8),
  pointCount: 8,
} as unknown as BindSpace;
const all = (): boolean => true;

describe('joints that are there for a part', () => {
  test('carry its name, in any spelling, and lead on to no others', () => {
    expect([...findDedicated(skeleton, ['body', 'cape_mesh', 'arms'], space, all)]).toEqual([
      -1, -1, 1, 1, -1, -1,
    ]);
  });

  test('none for the body, for a part without a telling name, or where they do not deform', () => {
    expect([...findDedicated(skeleton, ['cape', 'mesh_0', '12'], space, all)].every((part) => part < 0)).toBe(
      true,
    );
    const still = (joint: number): boolean => joint < 2;
    expect(
      [...findDedicated(skeleton, ['body', 'cape', 'hat'], space, still)].every((part) => part < 0),
    ).toBe(true);
  });

  test('two parts of one name have none of their own', () => {
    expect(
      [...findDedicated(skeleton, ['body', 'cape', 'capes'], space, all)].every((part) => part < 0),
    ).toBe(true);
  });
});

test('a part’s own joints come first on it, and stay away from other parts that have another joint', () => {
  const reach = createNearestJoints(8, 3, createPlainMemory());
  const put = (point: number, rows: [number, number][]): void =>
    rows.forEach(([joint, distance]) => putJoint(reach, point, joint, distance));
  put(0, [
    [3, 1],
    [1, 1.5],
  ]);
  put(1, [[3, 1]]);
  put(4, [
    [4, 1],
    [3, 2],
    [1, 2.5],
  ]);
  const ofJoint = Int32Array.of(-1, -1, 1, 1, -1, -1);
  preferDedicated(reach, space, skeleton, ofJoint);
  const row = (point: number): [number, number][] =>
    [0, 1, 2].map((k): [number, number] => [reach.joints[point * 3 + k], reach.distances[point * 3 + k]]);
  expect(row(0).slice(0, 2)).toEqual([
    [1, 1.5],
    [3, Infinity],
  ]);
  expect(row(1)[0]).toEqual([3, 1]);
  expect(row(4)).toEqual([
    [3, 2],
    [1, 2.5],
    [4, 3],
  ]);
});
