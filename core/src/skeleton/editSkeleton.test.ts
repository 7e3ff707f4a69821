import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { partOf, skeletonOf } from '../testing/testBody.ts';
import { rowsFrom } from '../testing/shapes.ts';
import {
  addJoint,
  moveJoints,
  nameJoints,
  removeJoint,
  renameJoint,
  reparentJoint,
  scaleSkeleton,
  type Place,
} from './editSkeleton.ts';
import { buildPalette, poseWorld, REST_POSE } from './pose.ts';
import { liveJoints, parentsFirst, restWorld, subtreeOf, type Skeleton } from './skeleton.ts';
import {
  applySkeletonChange,
  composeSkeletonChanges,
  invertSkeletonChange,
  rebind,
  type SkeletonChange,
} from './skeletonChange.ts';
import { createPlainMemory } from '../memory/kernelMemory.ts';
import { skinKernels } from '../deform/skinKernels.ts';

const PLACES: Place[] = [
  [0, 0, 0],
  [0, 1, 0],
  [0.2, 2, 0.1],
  [1, 1, 0],
];
const plain = skeletonOf([
  ['hip', -1, PLACES[0]],
  ['knee', 0, PLACES[1]],
  ['ankle', 1, PLACES[2]],
  ['tail', 0, PLACES[3]],
]);
/** The same joints, turned and scaled at rest, with a node between two of them. */
const twisted: Skeleton = {
  joints: plain.joints.map((joint, i) => ({
    ...joint,
    rotation: [0, 0, Math.sin(0.2 * i), Math.cos(0.2 * i)],
    scale: [1, 1 + 0.1 * i, 1],
    offset: i === 2 ? [1, 0, 0, 0, 0, 0, 1, 0, 0, -1, 0, 0, 0.3, 0, 0, 1] : joint.offset,
  })),
};
const part = partOf('leg', [0.1, 0, 0, 0.1, 1, 0, 0.3, 2, 0.1], [0, 1, 2], PLACES);
const rows = rowsFrom([{ 0: 0.5, 1: 0.5 }, { 1: 0.2, 2: 0.3, 3: 0.5 }, { 2: 1 }]);

/** Where skinning puts the points at rest. */
function surface(skeleton: Skeleton, inverseBinds: Float32Array): number[] {
  const world = restWorld(skeleton);
  const palette = new Float32Array(inverseBinds.length);
  buildPalette(world, inverseBinds, palette);
  const positions = new Float32Array(part.positions.length);
  const arrays = {
    rest: part.positions,
    restNormals: part.normals,
    rows,
    palette,
    positions,
    normals: positions.slice(),
  };
  skinKernels(createPlainMemory()).skinRange(arrays, 0, part.pointCount);
  return [...positions];
}

function expectUnmoved(from: Skeleton, change: SkeletonChange): Skeleton {
  const to = applySkeletonChange(from, change);
  const before = surface(from, part.inverseBinds);
  const after = surface(to, rebind(part.inverseBinds, from, to));
  after.forEach((x, i) => expect(x).toBeCloseTo(before[i], 4));
  // There and back is where it was, to the bit.
  expect(applySkeletonChange(to, invertSkeletonChange(change)).joints.slice(0, from.joints.length)).toEqual(
    from.joints,
  );
  return to;
}

const placeOf = (skeleton: Skeleton, joint: number): number[] => [
  ...restWorld(skeleton).subarray(joint * 16 + 12, joint * 16 + 15),
];
const near = (a: readonly number[], b: readonly number[]): void =>
  a.forEach((x, k) => expect(x).toBeCloseTo(b[k], 5));

describe.each([
  ['plain', plain],
  ['turned and scaled', twisted],
])('joints %s', (_, skeleton) => {
  const number = fc.double({ min: -3, max: 3, noNaN: true });

  test('moving joints moves no point; children stay or come along as told', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 3 }),
        number,
        number,
        number,
        fc.boolean(),
        (joint, x, y, z, stay) => {
          const to = expectUnmoved(skeleton, moveJoints(skeleton, new Map([[joint, [x, y, z]]]), stay));
          near(placeOf(to, joint), [x, y, z]);
          for (const other of [0, 1, 2, 3].filter((j) => j !== joint)) {
            const along = !stay && subtreeOf(skeleton, joint).includes(other);
            const move = [x, y, z].map((n, k) => (along ? n - placeOf(skeleton, joint)[k] : 0));
            near(
              placeOf(to, other),
              placeOf(skeleton, other).map((n, k) => n + move[k]),
            );
          }
        },
      ),
      { numRuns: 60 },
    );
  });

  test('a joint that goes leaves everything else where it stands', () => {
    for (const joint of [0, 1, 2, 3]) {
      const to = applySkeletonChange(skeleton, removeJoint(skeleton, joint));
      expect(liveJoints(to)).toEqual([0, 1, 2, 3].filter((j) => j !== joint));
      for (const other of liveJoints(to)) near(placeOf(to, other), placeOf(skeleton, other));
    }
  });

  test('a joint hung elsewhere stands where it stood', () => {
    const to = expectUnmoved(skeleton, reparentJoint(skeleton, 1, 3));
    expect(to.joints[1].parent).toBe(3);
    expect([...parentsFirst(to)]).toEqual([0, 3, 1, 2]);
    for (const joint of [0, 1, 2, 3]) near(placeOf(to, joint), placeOf(skeleton, joint));
    expectUnmoved(skeleton, reparentJoint(skeleton, 1, -1));
  });

  test('a new joint stands where it was put, and carries nothing', () => {
    const to = expectUnmoved(skeleton, addJoint(skeleton, 'toe-id', 2, 'toe', [0.5, 2.5, 0]));
    near(placeOf(to, 4), [0.5, 2.5, 0]);
    expect(to.joints[4]).toMatchObject({ name: 'toe', parent: 2, node: -1 });
  });

  test('other units: every place times the factor', () => {
    const to = expectUnmoved(skeleton, scaleSkeleton(skeleton, 0.01));
    for (const joint of [0, 1, 2, 3])
      near(
        placeOf(to, joint),
        placeOf(skeleton, joint).map((n) => n * 0.01),
      );
  });
});

test('what makes no skeleton is refused in a sentence', () => {
  expect(() => reparentJoint(plain, 0, 2)).toThrow('“hip” cannot hang below itself.');
  expect(() => renameJoint(plain, 0, ' knee ')).toThrow('There is a joint “knee” already.');
  expect(() => renameJoint(plain, 0, '  ')).toThrow('1 to 120 characters');
  expect(() => addJoint(plain, 'x-id', 9, 'x', [0, 0, 0])).toThrow('Choose the joint');
  expect(() => moveJoints(plain, new Map([[0, [NaN, 0, 0]]]), true)).toThrow('a place in the scene');
  expect(() => scaleSkeleton(plain, 0)).toThrow('above 0');
  const one = skeletonOf([['only', -1, [0, 0, 0]]]);
  expect(() => removeJoint(one, 0)).toThrow('The last joint cannot be removed.');
  expect(() => applySkeletonChange(plain, [{ joint: 0, before: null, after: null }])).toThrow(
    'another skeleton',
  );
  const { id, name, offset, translation, rotation, scale } = plain.joints[0];
  const below = { id, name, offset, translation, rotation, scale, parent: 2 };
  const before = { ...below, parent: -1 };
  expect(() => applySkeletonChange(plain, [{ joint: 0, before, after: below }])).toThrow(
    'cannot hang below itself',
  );
});

test('changes compose, and one that ends as it began is none', () => {
  const there = renameJoint(plain, 1, 'shin');
  const moved = moveJoints(applySkeletonChange(plain, there), new Map([[1, [0, 1.5, 0]]]), true);
  const both = composeSkeletonChanges(there, moved);
  const to = applySkeletonChange(plain, both);
  expect(to.joints[1].name).toBe('shin');
  near(placeOf(to, 1), [0, 1.5, 0]);
  near(placeOf(to, 2), PLACES[2]);
  expect(composeSkeletonChanges(both, invertSkeletonChange(both))).toEqual([]);
});

test('names: double ones are numbered, missing ones follow the parent', () => {
  const joints = [
    ...plain.joints.slice(0, 3).map((joint) => ({ ...joint, name: 'a' })),
    { ...plain.joints[3], name: 'joint 3', named: false },
  ];
  const to = applySkeletonChange({ joints }, nameJoints({ joints }, { missing: true, double: true }));
  expect(to.joints.map(({ name }) => name)).toEqual(['a', 'a_2', 'a_3', 'a_4']);
  expect(to.joints.every(({ named }) => named)).toBe(true);
});

test('a pose bends a skeleton whose joints do not stand parents first', () => {
  const to = applySkeletonChange(plain, reparentJoint(plain, 1, 3));
  const world = new Float32Array(4 * 16);
  poseWorld(to, REST_POSE, world);
  near([...world.subarray(2 * 16 + 12, 2 * 16 + 15)], [...PLACES[2]]);
});
