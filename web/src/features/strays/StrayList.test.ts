import { beforeEach, describe, expect, test } from '@jest/globals';
import { rowSum, weightOf } from '@judoka/core/weights';
import type { Workspace } from '../../workspace/Workspace.ts';
import {
  BODY,
  CHEST,
  doneLabels,
  giveWeight,
  HAND_R,
  openForEach,
  ringPoints,
  until,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import { isStray } from '../../scene/drawings/PartDrawing.ts';
import { leftBehind } from './leftBehind.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });

const PLACE = ringPoints(20, 21);

/** Weight of the right hand on the left arm. */
beforeEach(async () => {
  await at.document.perform('Stray', { weights: giveWeight(at, PLACE, HAND_R, 0.6) });
  await at.strayList.look.find();
});

const found = () => at.strayList.strays?.filter(({ joint }) => joint === HAND_R) ?? [];

describe('the list of strays', () => {
  test('names joint, part and points, and how far they move the surface', () => {
    const [stray] = found();
    expect(found()).toHaveLength(1);
    expect(stray.part).toBe(BODY);
    expect([...stray.points].sort((a, b) => a - b)).toEqual([...PLACE]);
    expect(stray.movement).toBeGreaterThan(0.1);
    expect(at.strayList.look.isLooking).toBe(false);
  });

  test('removing one is one edit, leaves sums at one, and takes the weight of no other place', async () => {
    const before = weightsOf(at);
    const held = await at.strayList.remove(found(), { kind: 'others' });
    expect(held).toBe(0);
    const { rows } = at.scene.parts[BODY].skin;
    for (const p of PLACE) {
      expect(weightOf(rows, p, HAND_R)).toBe(0);
      expect(rowSum(rows, p)).toBeCloseTo(1, 6);
    }
    expect(found()).toHaveLength(0);
    expect(doneLabels(at).at(-1)).toBe('Stray of hand_R removed');
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
  });

  test('the freed weight goes where it is said', async () => {
    await at.strayList.remove(found(), { kind: 'joint', joint: CHEST });
    const { rows } = at.scene.parts[BODY].skin;
    for (const p of PLACE) expect(weightOf(rows, p, CHEST)).toBeCloseTo(0.6, 5);
  });

  test('what was painted away meanwhile is not taken', async () => {
    const listed = found();
    await at.document.perform('Painted', { weights: giveWeight(at, PLACE, HAND_R, 0) });
    expect(at.strayList.look.isStale).toBe(true);
    await expect(at.strayList.remove(listed, { kind: 'others' })).rejects.toThrow('does not stray any more');
    expect(doneLabels(at).at(-1)).toBe('Painted');
  });

  test('what is dismissed stays so over another look, and can be listed again', async () => {
    const [stray] = found();
    at.strayList.dismiss(stray);
    expect(at.strayList.isDismissed(stray)).toBe(true);
    await at.strayList.look.find();
    expect(at.strayList.isDismissed(found()[0])).toBe(true);
    await at.document.undo();
    expect(at.strayList.isDismissed(stray)).toBe(false);
    await at.document.redo();
    at.strayList.restore(stray);
    expect(at.strayList.isDismissed(stray)).toBe(false);
    expect(doneLabels(at).at(-1)).toBe('List a stray of hand_R again');
  });

  test('is looked for again by itself when weights rest; counts and the stage follow', async () => {
    expect(at.strayList.counts()[HAND_R]).toBe(PLACE.length);
    at.scene.chooseJoint(HAND_R);
    const hatched = (): number[] =>
      [...PLACE].filter((p) => isStray(at.scene.parts[BODY], p)).sort((a, b) => a - b);
    expect(hatched()).toEqual([...PLACE]);
    at.scene.chooseJoint(CHEST);
    expect(hatched()).toEqual([]);
    at.scene.chooseJoint(HAND_R);
    await at.document.perform('Painted', { weights: giveWeight(at, PLACE, HAND_R, 0) });
    await until(
      'it was looked for again',
      () => !at.strayList.look.isStale && at.strayList.counts()[HAND_R] === 0,
    );
    expect(hatched()).toEqual([]);
  });

  test('is shown in the pose in which it moves the surface most', () => {
    const [stray] = found();
    at.strayList.show(stray);
    expect(at.scene.joint).toBe(HAND_R);
    expect(Object.keys(at.scene.pose)).toEqual([String(stray.bend?.joint)]);
    expect(at.scene.marks.points.get(BODY)).toEqual(stray.points);
  });

  test('joints that change make it forget what it found', () => {
    at.document.events.publish('joints');
    expect(at.strayList.strays).toBeUndefined();
  });
});

describe('what would stay behind', () => {
  test('nothing, while every point has weight', () => {
    expect(leftBehind(at).size).toBe(0);
  });

  test('points without weight, of the parts that are shown', () => {
    const { rows } = at.scene.parts[BODY].skin;
    for (const p of ringPoints(4)) rows.values.fill(0, p * rows.stride, (p + 1) * rows.stride);
    expect(leftBehind(at)).toEqual(new Map([[BODY, ringPoints(4)]]));
    at.scene.visibility.setVisible(BODY, false);
    expect(leftBehind(at).size).toBe(0);
  });
});
