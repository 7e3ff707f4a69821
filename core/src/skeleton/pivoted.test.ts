import { expect, test } from '@jest/globals';
import { vec3 } from 'gl-matrix';
import fc from 'fast-check';
import { skeletonOf } from '../testing/testBody.ts';
import { pivoted } from './pivoted.ts';
import { poseWorld, rotationFromAngles } from './pose.ts';
import { restWorld } from './skeleton.ts';

const SKELETON = skeletonOf([
  ['a', -1, [0, 0, 0]],
  ['b', 0, [1, 2, 0]],
  ['c', 1, [2, 2, 1]],
]);
const number = fc.double({ min: -2, max: 2, noNaN: true });
const angle = fc.double({ min: -170, max: 170, noNaN: true });

test('what stands at the other place stays there, whatever the joint above and its own turn', () => {
  fc.assert(
    fc.property(fc.tuple(number, number, number), fc.tuple(angle, angle, angle), (offset, angles) => {
      const turn = {
        rotation: rotationFromAngles(angles),
        translation: [0, 0, 0],
        scale: [1, 1, 1],
      } as const;
      const pose = pivoted(SKELETON, { 1: turn }, 1, offset);
      const world = new Float32Array(48);
      poseWorld(SKELETON, pose, world);
      // The place, in the joint's own frame at rest, comes back to itself.
      const rest = restWorld(SKELETON).subarray(16, 32);
      const place = vec3.add(vec3.create(), [rest[12], rest[13], rest[14]], offset);
      const own = vec3.subtract(vec3.create(), place, [rest[12], rest[13], rest[14]]);
      const now = vec3.transformMat4(vec3.create(), own, world.subarray(16, 32));
      for (let k = 0; k < 3; k++) expect(now[k]).toBeCloseTo(place[k], 4);
    }),
  );
});

test('about its own place it is as it was', () => {
  const turn = {
    rotation: rotationFromAngles([10, 20, 30]),
    translation: [0, 0, 1],
    scale: [1, 1, 1],
  } as const;
  expect(pivoted(SKELETON, { 1: turn }, 1, [0, 0, 0])[1].translation).toEqual([0, 0, 1]);
});
