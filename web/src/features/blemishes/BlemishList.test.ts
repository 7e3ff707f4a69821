import { expect, test } from '@jest/globals';
import type { Blemish } from '@judoka/core/document';
import { rowSum, weightOf } from '@judoka/core/weights';
import {
  ARM_L,
  BODY,
  CHEST,
  doneLabels,
  giveWeight,
  openForEach,
  ringPoints,
  until,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });

const hard: Blemish = {
  kind: 'hard',
  part: BODY,
  joint: ARM_L,
  other: CHEST,
  points: ringPoints(14, 15),
  amount: 1,
};
const find = (blemishes: readonly Blemish[]): void => {
  Object.assign(at.blemishList.look, { found: { blemishes, sides: [] }, isStale: false });
  at.blemishList.events.publish('changed');
};

test('a clean body has none; they are looked for again when weights rest', async () => {
  await until('it was looked', () => at.blemishList.look.found !== undefined);
  expect(at.blemishList.open()).toEqual([]);
  await at.document.perform('Painted', { weights: giveWeight(at, ringPoints(14), ARM_L, 0.3) });
  expect(at.blemishList.look.isStale).toBe(true);
  await until('it was looked again', () => !at.blemishList.look.isStale);
});

test('a cure is one edit that keeps sums and limit; undo takes it back to the bit', async () => {
  find([hard]);
  const before = weightsOf(at);
  await at.blemishList.cure(hard, 2);
  expect(doneLabels(at).at(-1)).toBe('Soften arm_L');
  expect(at.blemishList.open()).toEqual([]);
  const { rows } = at.scene.parts[BODY].skin;
  for (const p of hard.points) {
    expect(rowSum(rows, p)).toBeCloseTo(1, 6);
    expect(rows.values[p * rows.stride + 2]).toBe(0);
    expect(weightOf(rows, p, ARM_L)).toBeGreaterThan(0.05);
  }
  await at.document.undo();
  expect(weightsOf(at)).toEqual(before);
});

test('it is shown with its joint chosen and bent, and its points marked', () => {
  at.blemishList.show(hard);
  expect(at.scene.joint).toBe(ARM_L);
  expect(Object.keys(at.scene.pose)).toEqual([String(ARM_L)]);
  expect(at.scene.marks.points.get(BODY)).toEqual(hard.points);
});

test('what is said to be meant is not told of any more, until undo', async () => {
  find([hard]);
  expect(at.troubles.of(ARM_L).map(({ cureWords }) => cureWords)).toEqual(['Soften it']);
  at.blemishList.dismiss(hard);
  expect(at.blemishList.open()).toEqual([]);
  expect(at.troubles.of(ARM_L)).toEqual([]);
  await at.document.undo();
  expect(at.blemishList.open()).toEqual([hard]);
  await at.document.redo();
  expect(at.blemishList.meant()).toEqual([hard]);
  at.blemishList.restore(hard);
  expect(at.blemishList.open()).toEqual([hard]);
});
