import { describe, expect, test } from '@jest/globals';
import { DEFAULT_RELAXING } from '@judoka/core/deform';
import { worstPose, type TrialPose } from '@judoka/core/analysis/bends';
import type { Workspace } from '../workspace/Workspace.ts';
import {
  ARM_L,
  ARM_R,
  CHEST,
  doneLabels,
  giveWeight,
  HAND_L,
  HAND_R,
  openForEach,
  ringPoints,
  until,
  WAVE,
} from '../testing/testWorkspace.ts';
import { renameJointTo } from '../features/joints/jointEdits.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });

const joints = (): number[] => at.trial.range?.trials.map(({ joint }) => joint) ?? [];
const damageOf = (joint: number): number => {
  const trial = at.trial.range?.trials.find((one) => one.joint === joint);
  return trial ? Math.max(...trial.poses.map(({ figures }) => figures.damage)) : 0;
};

const frameOf = ({ at: when }: TrialPose): number => ('frame' in when ? when.frame : -1);

describe('the range of motion', () => {
  test('measures every joint that bends; then with the other skinning, and as it came', async () => {
    const told: string[] = [];
    at.trial.events.subscribe('changed', () => at.trial.running && told.push(at.trial.running.what));
    await at.trial.runRange();
    expect(at.trial.failure).toBe('');
    // The chest carries everything and bends nothing.
    expect([...joints()].sort()).toEqual([ARM_L, HAND_L, ARM_R, HAND_R]);
    expect(at.trial.range?.skinning).toBe('linear');
    expect(at.trial.range?.other?.size).toBe(joints().length);
    expect(at.trial.range?.before?.size).toBe(joints().length);
    expect(told[0]).toBe('Measuring');
    expect(at.trial.running).toBeUndefined();
  });

  test('as it came is what the file had, not what was painted since', async () => {
    await at.document.perform('Ruin', { weights: giveWeight(at, ringPoints(16), CHEST, 1) });
    await at.trial.runRange();
    const came = at.trial.range?.before?.get(ARM_L);
    const before = came ? Math.max(...came.poses.map(({ figures }) => figures.damage)) : 0;
    expect(damageOf(ARM_L)).toBeGreaterThan(before * 1.2);
  });

  test('after an edit its figures are old; the chosen joint is measured anew by itself', async () => {
    await at.trial.runRange();
    at.scene.chooseJoint(ARM_L);
    const before = damageOf(ARM_L);
    await at.document.perform('Ruin', { weights: giveWeight(at, ringPoints(16), CHEST, 1) });
    expect(at.trial.range?.stale).toBe(true);
    await until('it is measured anew', () => damageOf(ARM_L) !== before);
    expect(damageOf(ARM_L)).toBeGreaterThan(before);
  });

  test('painted while the others are still measured, the chosen joint is measured anew all the same', async () => {
    at.scene.chooseJoint(ARM_L);
    await at.trial.runRange();
    const before = damageOf(ARM_L);
    const run = at.trial.runRange();
    await at.document.perform('Ruin', { weights: giveWeight(at, ringPoints(16), CHEST, 1) });
    await run;
    expect(at.trial.range?.stale).toBe(true);
    await until('it is measured anew', () => damageOf(ARM_L) > before);
  });

  test('a joint that is chosen after an edit is brought up to date too', async () => {
    await at.trial.runRange();
    const before = damageOf(ARM_L);
    await at.document.perform('Ruin', { weights: giveWeight(at, ringPoints(16), CHEST, 1) });
    at.scene.chooseJoint(ARM_L);
    await until('it is measured anew', () => damageOf(ARM_L) > before);
  });

  test('limits are set for both sides, in one edit, and are what is measured then', async () => {
    await at.trial.runRange();
    const limits = { bend: [0, 20], side: [0, 0], twist: [0, 0] } as const;
    at.scene.chooseJoint(ARM_L);
    at.trial.setLimits(ARM_L, limits);
    expect(at.trial.rangeOf(ARM_L)?.limits.bend).toEqual([0, 20]);
    expect(at.trial.rangeOf(ARM_R)?.limits.bend).toEqual([0, 20]);
    expect(doneLabels(at)).toEqual(['Range of arm_L']);
    const few = () => at.trial.range?.trials.find(({ joint }) => joint === ARM_L)?.poses.length ?? 99;
    await until('the shorter range is measured', () => few() < 8);
    at.trial.setLimits(ARM_L, undefined);
    expect(at.trial.rangeOf(ARM_L)?.limits.bend).not.toEqual([0, 20]);
  });

  test('with the other skinning the figures that were measured for it take their place', async () => {
    await at.trial.runRange();
    const dual = new Map(at.trial.range?.other);
    at.document.changeSettings({ skinning: 'dual' });
    expect(at.trial.range?.skinning).toBe('dual');
    expect(new Map(at.trial.range?.trials.map((trial) => [trial.joint, trial]))).toEqual(dual);
    await at.document.undo();
    expect(at.trial.range?.skinning).toBe('linear');
  });

  test('figures of another look are old, and what is measured next is of the look that is shown', async () => {
    await at.trial.runRange();
    const figure = () =>
      at.trial.range?.trials.find(({ joint }) => joint === ARM_L)?.poses.at(0)?.figures.damage;
    const skinned = figure();
    at.document.changeSettings({ relaxing: { ...DEFAULT_RELAXING } });
    expect(at.trial.range).toMatchObject({ stale: true, other: undefined, before: undefined });
    await at.trial.runRange();
    expect(at.trial.range?.stale).toBe(false);
    expect(figure()).not.toBe(skinned);
  });

  test('joints that change make it forget', async () => {
    await at.trial.runRange();
    await renameJointTo(at, HAND_R, 'paw_R');
    expect(at.trial.range).toBeUndefined();
  });

  test('stopped, it says nothing went wrong and leaves what there was', async () => {
    await at.trial.runRange();
    const before = at.trial.range;
    const run = at.trial.runRange();
    at.trial.stop();
    await run;
    expect(at.trial.failure).toBe('');
    expect(at.trial.running).toBeUndefined();
    expect(at.trial.range).toEqual(before);
  });
});

describe('a clip', () => {
  test('every frame is measured, by several threads, in order', async () => {
    await at.trial.runClip(WAVE, 'file:0');
    const arm = at.trial.clip?.trials.find(({ joint }) => joint === ARM_L);
    expect(arm?.poses.map((pose) => frameOf(pose))).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10]);
    expect(arm?.poses[0].figures.damage).toBeCloseTo(0, 6);
    expect(frameOf(arm?.poses[worstPose(arm, 'damage')] as TrialPose)).toBe(10);
    expect(at.trial.clip?.clip).toBe('file:0');
  });

  test('mapped anew, what was measured is forgotten', async () => {
    await at.trial.runClip(WAVE, 'file:0');
    at.clips.events.publish('mapped');
    expect(at.trial.clip).toBeUndefined();
  });
});
