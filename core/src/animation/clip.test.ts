import { expect, test } from '@jest/globals';
import { type JointPose, type Pose, rotationFromAngles } from '../skeleton/pose.ts';
import { frameCount, frameSeconds, posesClip, sampleClip } from './clip.ts';

const turned = (degrees: number): JointPose => ({
  rotation: rotationFromAngles([0, 0, degrees]),
  translation: [0, 0, 0],
  scale: [1, 1, 1],
});

test('poses behind one another are frames, joints of others at rest in them; half way is half a turn', () => {
  const poses: Pose[] = [{ 1: turned(80) }, { 2: { ...turned(0), translation: [0, 3, 0] } }, {}];
  const clip = posesClip('kept', poses);
  expect(frameCount(clip)).toBe(3);
  const frame = (i: number): Pose => sampleClip(clip, frameSeconds(clip, i));
  const [first, second, last] = [frame(0), frame(1), frame(2)];
  turned(80).rotation.forEach((x, k) => expect(first[1].rotation[k]).toBeCloseTo(x, 6));
  expect(first[2].translation).toEqual([0, 0, 0]);
  expect(second[2].translation).toEqual([0, 3, 0]);
  expect(second[1].rotation).toEqual([0, 0, 0, 1]);
  expect(last[2].translation).toEqual([0, 0, 0]);
  turned(40).rotation.forEach((x, k) => expect(sampleClip(clip, 0.5)[1].rotation[k]).toBeCloseTo(x, 5));
});

test('one pose is a clip of one frame, none a clip of nothing', () => {
  expect(frameCount(posesClip('one', [{ 0: turned(20) }]))).toBe(1);
  expect(posesClip('none', []).tracks).toEqual([]);
});
