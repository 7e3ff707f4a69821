import { beforeEach, describe, expect, test } from '@jest/globals';
import { REST_JOINT } from '@judoka/core/skeleton';
import { crossAll } from '../../trial/crossings.ts';
import { ARM_L, BODY, CHEST, HAND_L, HAT, openForEach, turned, WAVE } from '../../testing/testWorkspace.ts';
import type { Workspace } from '../Workspace.ts';
import { NOTHING_TO_SHOW, samePose, strippedPose, stripPictures } from './stripPictures.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });
beforeEach(() => at.scene.chooseJoint(ARM_L));

const labels = (source: Parameters<typeof stripPictures>[1]): string[] =>
  stripPictures(at, source, 'z', 30).map(({ label }) => label);

describe('the pictures of the bend strip', () => {
  test('even turns about an axis, rest in the middle', () => {
    const pictures = stripPictures(at, 'axis', 'z', 30);
    expect(pictures.map(({ label }) => label)).toEqual(['-60°', '-30°', '0°', '30°', '60°']);
    expect(samePose(pictures[2].pose, {}, ARM_L)).toBe(true);
    expect(samePose(pictures[3].pose, turned({ [ARM_L]: ['z', 30] }), ARM_L)).toBe(true);
    expect(samePose(pictures[3].pose, pictures[1].pose, ARM_L)).toBe(false);
  });

  test('the joint’s own range, as it is set', () => {
    expect(labels('range').length).toBeGreaterThanOrEqual(5);
    const wide = labels('range');
    at.trial.setLimits(ARM_L, { bend: [0, 40], side: [0, 0], twist: [0, 0] });
    expect(labels('range')).not.toEqual(wide);
    expect(labels('range').join(' ')).toContain('40');
  });

  test('a hinge is shown in five steps, rest among them', () => {
    at.trial.setLimits(ARM_L, { bend: [-30, 110], side: [0, 0], twist: [0, 0] });
    expect(labels('range')).toEqual(['−30° bent', 'at rest', '40° bent', '75° bent', '110° bent']);
    at.trial.setLimits(ARM_L, { bend: [-15, 25], side: [0, 0], twist: [0, 0] });
    expect(labels('range').filter((label) => label === 'at rest')).toHaveLength(1);
    at.trial.setLimits(ARM_L, { bend: [0, 120], side: [0, 0], twist: [0, 0] });
    expect(labels('range')).toEqual(['at rest', '30° bent', '60° bent', '90° bent', '120° bent']);
  });

  test('poses that were saved, without joints that are gone', async () => {
    expect(labels('kept')).toEqual(['rest']);
    await at.document.saved.savePose('Flap', turned({ [ARM_L]: ['z', 50], [HAND_L]: ['z', 10] }), null, null);
    expect(labels('kept')).toEqual(['Flap']);
  });

  test('the worst frames of a clip that was measured, a little apart and in their order', async () => {
    expect(stripPictures(at, 'worst', 'z', 30)).toBe(NOTHING_TO_SHOW);
    await at.clips.choose('file:0');
    await at.trial.runClip(WAVE, 'file:0');
    const frames = labels('worst').map((label) => Number(label.replace('frame ', '')));
    expect(frames).toContain(10);
    expect([...frames].sort((a, b) => a - b)).toEqual(frames);
    for (let i = 1; i < frames.length; i++) expect(frames[i] - frames[i - 1]).toBeGreaterThanOrEqual(3);
    // Of another clip nothing is known.
    at.clips.drop();
    expect(stripPictures(at, 'worst', 'z', 30)).toBe(NOTHING_TO_SHOW);
  });

  test('without a joint there is rest', () => {
    at.scene.chooseJoint(-1);
    expect(labels('range')).toEqual(['rest']);
  });
});

describe('what the stage takes from a picture', () => {
  const held = turned({ [CHEST]: ['y', 20], [ARM_L]: ['x', 5] });

  test('a turn of the joint goes into the pose at hand', () => {
    at.scene.showPose(held);
    const taken = strippedPose(at, 'axis', turned({ [ARM_L]: ['z', 30] }));
    expect(taken[CHEST]).toEqual(held[CHEST]);
    expect(samePose(taken, turned({ [ARM_L]: ['z', 30] }), ARM_L)).toBe(true);
    expect(strippedPose(at, 'axis', { [ARM_L]: REST_JOINT })[ARM_L]).toBeUndefined();
  });

  test('a whole pose stands for it', () => {
    at.scene.showPose(held);
    const whole = turned({ [HAND_L]: ['z', 30] });
    expect(strippedPose(at, 'kept', whole)).toBe(whole);
    expect(strippedPose(at, 'worst', whole)).toBe(whole);
  });
});

test('two parts that are looked at for crossings are answered pose by pose', async () => {
  const poses = [{}, turned({ [ARM_L]: ['z', 90] }), turned({ [ARM_L]: ['z', -90] })];
  const found = await crossAll(at.trialThreads, [HAT, BODY], poses);
  expect(found).toHaveLength(3);
  // The hat's squares are far above the tube at rest.
  expect(found[0].places).toBe(0);
});
