import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { skeletonOf } from '../testing/testBody.ts';
import { pairJoints } from './pairs.ts';
import { poseWorld, REST_JOINT, REST_POSE, turned, withJoint, type Axis, type Pose } from './pose.ts';
import { mirrorPose, mirrorWholePose, movedInScene, turnedInScene, withChainAtRest } from './posing.ts';
import type { Skeleton } from './skeleton.ts';

const places: [string, number, [number, number, number]][] = [
  ['hip', -1, [0, 1, 0]],
  ['wing_l', 0, [0.5, 1.5, 0]],
  ['wing_r', 0, [-0.5, 1.5, 0]],
  ['tip_l', 1, [1.5, 1.6, 0.2]],
  ['tip_r', 2, [-1.5, 1.6, 0.2]],
];
const plain = skeletonOf(places);
/** The right side's frames are turned otherwise than the left's, as files have them. */
const odd: Skeleton = {
  joints: plain.joints.map((joint, i) => {
    // The rest rotation turns what hangs on it; its children's places are turned back.
    if (i === 2) return { ...joint, rotation: [0, 0, 1, 0] };
    if (i === 4) return { ...joint, translation: [1, -0.1, 0.2] };
    return joint;
  }),
};
const pairs = pairJoints(plain, Float32Array.from(places.flatMap(([, , place]) => place)), 0.01);

function worldOf(skeleton: Skeleton, pose: Pose): Float32Array {
  const world = new Float32Array(skeleton.joints.length * 16);
  poseWorld(skeleton, pose, world);
  return world;
}
const placeOf = (world: Float32Array, joint: number): number[] => [
  ...world.subarray(joint * 16 + 12, joint * 16 + 15),
];

describe.each([
  ['alike', plain],
  ['turned', odd],
])('sides whose frames are %s', (_, skeleton) => {
  test('a pose copied across puts the other side where the mirror shows it', () => {
    const angle = fc.double({ min: -120, max: 120, noNaN: true });
    const move = fc.double({ min: -1, max: 1, noNaN: true });
    fc.assert(
      fc.property(angle, fc.constantFrom<Axis>('x', 'y', 'z'), move, move, (degrees, axis, mx, my) => {
        let pose = withJoint(REST_POSE, 1, turned(REST_JOINT, axis, degrees));
        pose = withJoint(pose, 1, { translation: [mx, my, 0.1] });
        const world = worldOf(skeleton, mirrorPose(skeleton, pose, pairs, [1]));
        const [x, y, z] = placeOf(world, 3);
        const other = placeOf(world, 4);
        [-x, y, z].forEach((n, k) => expect(other[k]).toBeCloseTo(n, 4));
      }),
      { numRuns: 80 },
    );
  });

  test('a whole pose is mirrored with its middle, and twice is what it was', () => {
    const angle = fc.double({ min: -80, max: 80, noNaN: true });
    fc.assert(
      fc.property(angle, angle, angle, (hip, left, right) => {
        let pose = withJoint(REST_POSE, 0, turned(REST_JOINT, 'z', hip));
        pose = withJoint(pose, 1, turned(REST_JOINT, 'y', left));
        pose = withJoint(pose, 2, turned(REST_JOINT, 'x', right));
        const [own, seen] = [pose, mirrorWholePose(skeleton, pose, pairs)].map((each) =>
          worldOf(skeleton, each),
        );
        for (const [joint, other] of [
          [0, 0],
          [3, 4],
          [4, 3],
        ]) {
          const [x, y, z] = placeOf(own, joint);
          const place = placeOf(seen, other);
          [-x, y, z].forEach((n, k) => expect(place[k]).toBeCloseTo(n, 4));
        }
        const back = worldOf(
          skeleton,
          mirrorWholePose(skeleton, mirrorWholePose(skeleton, pose, pairs), pairs),
        );
        own.forEach((n, i) => expect(back[i]).toBeCloseTo(n, 4));
      }),
      { numRuns: 40 },
    );
  });
});

test('a turn about an axis of the scene carries children about it, whatever the joint’s own frame', () => {
  const tilted = withJoint(REST_POSE, 2, turned(REST_JOINT, 'x', 40));
  const before = worldOf(odd, tilted);
  const pose = withJoint(tilted, 2, turnedInScene(tilted[2], before, 2, [0, 1, 0], 90));
  const after = worldOf(odd, pose);
  const centre = placeOf(before, 2);
  const [x, y, z] = placeOf(before, 4).map((n, k) => n - centre[k]);
  const now = placeOf(after, 4).map((n, k) => n - centre[k]);
  [z, y, -x].forEach((n, k) => expect(now[k]).toBeCloseTo(n, 5));
});

test('a way of the scene is gone in the scene, below a turned parent too', () => {
  const tilted = withJoint(REST_POSE, 2, turned(REST_JOINT, 'z', 70));
  const before = worldOf(odd, tilted);
  const after = worldOf(
    odd,
    withJoint(tilted, 4, movedInScene(odd, REST_JOINT, before, 4, [0.1, -0.2, 0.3])),
  );
  const move = placeOf(after, 4).map((n, k) => n - placeOf(before, 4)[k]);
  [0.1, -0.2, 0.3].forEach((n, k) => expect(move[k]).toBeCloseTo(n, 5));
});

test('a chain goes back to rest and the rest of the pose stays', () => {
  const bent = [0, 1, 3, 4].reduce((pose, j) => withJoint(pose, j, turned(REST_JOINT, 'x', 30)), REST_POSE);
  expect(Object.keys(withChainAtRest(plain, bent, 1))).toEqual(['0', '4']);
});
