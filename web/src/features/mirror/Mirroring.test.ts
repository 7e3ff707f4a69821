import { describe, expect, test } from '@jest/globals';
import { weightOf } from '@judoka/core/weights';
import type { Workspace } from '../../workspace/Workspace.ts';
import {
  ARM_L,
  ARM_R,
  AROUND,
  BODY,
  doneLabels,
  giveWeight,
  HAND_L,
  HAND_R,
  openForEach,
  RINGS,
  ringPoints,
  turned,
  weightsOf,
} from '../../testing/testWorkspace.ts';

import { mirrorOnto } from './mirrorOnto.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });

const LIMIT = 4;
const across = (point: number): number =>
  (RINGS - 1 - Math.floor(point / AROUND)) * AROUND + (point % AROUND);

describe('counterparts', () => {
  test('by place: every point of the tube has the one across the middle', async () => {
    at.mirroring.set({ mode: 'place' });
    const pairs = await at.mirroring.find();
    for (let p = 0; p < RINGS * AROUND; p++) expect(pairs[p]).toBe(across(p));
    expect(at.mirroring.unpaired().has(BODY)).toBe(false);
  });

  test('points without any are named, of the parts that are shown', async () => {
    at.mirroring.set({ mode: 'place' });
    const pairs = await at.mirroring.find();
    pairs[3] = -1;
    expect(at.mirroring.unpaired()).toEqual(new Map([[BODY, Uint32Array.of(3)]]));
    at.scene.visibility.setVisible(BODY, false);
    expect(at.mirroring.unpaired().size).toBe(0);
  });

  test('are kept until what they are found by changes', async () => {
    at.mirroring.set({ mode: 'place' });
    const first = await at.mirroring.find();
    expect(await at.mirroring.find()).toBe(first);
    at.mirroring.set({ tolerance: 0.01 });
    expect(at.mirroring.pairs).toBeUndefined();
    expect(await at.mirroring.find()).not.toBe(first);
  });

  test('a pose on the stage does not matter: they are found at rest', async () => {
    at.scene.setPose(turned({ [ARM_L]: ['z', 90] }));
    at.mirroring.set({ mode: 'place' });
    const pairs = await at.mirroring.find();
    expect(pairs[0]).toBe(across(0));
  });
});

describe('carrying weights across', () => {
  test('from left to right: the right side is the mirror of the left, which stays', async () => {
    await at.document.perform('Uneven', { weights: giveWeight(at, ringPoints(20), ARM_L, 0.3) });
    at.mirroring.set({ mode: 'place' });
    expect(at.mirroring.leftToRight()).toBe('toNegative');
    const { change, report } = await at.mirroring.propose('toNegative', {}, LIMIT);
    const before = weightsOf(at);
    await at.document.perform('Mirror', { weights: change });
    const { rows } = at.scene.parts[BODY].skin;
    for (let p = 13 * AROUND; p < RINGS * AROUND; p++) {
      expect(weightOf(rows, across(p), ARM_R)).toBeCloseTo(weightOf(rows, p, ARM_L), 6);
      expect(weightOf(rows, across(p), HAND_R)).toBeCloseTo(weightOf(rows, p, HAND_L), 6);
      expect([...rows.values.subarray(p * 8, p * 8 + 8)]).toEqual(
        before[BODY].values.slice(p * 8, p * 8 + 8),
      );
    }
    expect(report).toBeDefined();
    expect(at.mirroring.differences().filter(({ part }) => part === BODY)).toEqual([]);
  });

  test('differences name the worst place first, with half the summed difference', async () => {
    at.mirroring.set({ mode: 'place' });
    await at.mirroring.find();
    expect(at.mirroring.differences().filter(({ part }) => part === BODY)).toEqual([]);
    await at.document.perform('A little', { weights: giveWeight(at, ringPoints(19), ARM_L, 0.8) });
    await at.document.perform('A lot', { weights: giveWeight(at, ringPoints(22), HAND_R, 1) });
    const found = at.mirroring.differences().filter(({ part }) => part === BODY);
    expect(Math.floor(found[0].point / AROUND) === 22 || Math.floor(found[0].point / AROUND) === 2).toBe(
      true,
    );
    expect(found[0].amount).toBeCloseTo(1, 5);
    for (let i = 1; i < found.length; i++) expect(found[i].amount).toBeLessThanOrEqual(found[i - 1].amount);
    // As amounts, both sides have them, and what is alike has none.
    const amounts = at.mirroring.amounts()[BODY];
    for (const { point, amount } of found) expect(amounts[point]).toBeCloseTo(amount, 6);
    expect(amounts.filter((amount) => amount > 0.01)).toHaveLength(2 * found.length);
  });

  test('only chosen points, and only chosen joints', async () => {
    await at.document.perform('Uneven', { weights: giveWeight(at, ringPoints(19, 20, 21), ARM_L, 0.3) });
    at.mirroring.set({ mode: 'place' });
    const points = new Map([[BODY, Uint32Array.from(ringPoints(20), across)]]);
    const { change } = await at.mirroring.propose('toNegative', { points }, LIMIT);
    expect(change.map(({ part, points: list }) => [part, [...list].sort((a, b) => a - b)])).toEqual([
      [BODY, [...ringPoints(4)]],
    ]);
    const other = await at.mirroring.propose('toNegative', { points, joints: [HAND_R] }, LIMIT);
    expect(other.change.length).toBeLessThanOrEqual(1);
  });

  test('a lock is kept', async () => {
    await at.document.perform('Uneven', { weights: giveWeight(at, ringPoints(20), ARM_L, 0.3) });
    at.document.setValues('Lock', { [`locks/${ARM_R}`]: true });
    const { rows } = at.scene.parts[BODY].skin;
    const before = ringPoints(4).map((p) => weightOf(rows, p, ARM_R) * 1e6);
    at.mirroring.set({ mode: 'place' });
    const { change } = await at.mirroring.propose('toNegative', {}, LIMIT);
    await at.document.perform('Mirror', { weights: change });
    expect(ringPoints(4).map((p) => weightOf(rows, p, ARM_R) * 1e6)).toEqual(before);
  });
});

test('points of islands that touch are found, each with its own', async () => {
  const touching = await at.mirroring.findTouching();
  expect(touching).toHaveLength(RINGS * AROUND + 8);
  touching.forEach((other, p) => {
    if (other >= 0) expect(touching[other]).toBeGreaterThanOrEqual(0);
    expect(other).not.toBe(p);
  });
});

describe('a joint mended from the other side', () => {
  test('gets what the other side has wherever it has weight, as one edit that is taken back at once', async () => {
    at.mirroring.set({ mode: 'place' });
    const before = weightsOf(at);
    const place = ringPoints(20, 21);
    await at.document.perform('Worse', { weights: giveWeight(at, place, ARM_R, 0.3) });
    const spoilt = weightsOf(at);
    await mirrorOnto(at, ARM_R);
    expect(doneLabels(at).at(-1)).toBe('arm_R mirrored from arm_L');
    const { rows } = at.scene.parts[BODY].skin;
    for (const p of place) expect(weightOf(rows, p, ARM_R)).toBeCloseTo(weightOf(rows, across(p), ARM_L), 5);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(spoilt);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
  });

  test('where both sides are alike it changes nothing, and says so', async () => {
    at.mirroring.set({ mode: 'place' });
    await mirrorOnto(at, ARM_R);
    const told: string[] = [];
    at.document.notify = (sentence) => void told.push(sentence);
    const count = doneLabels(at).length;
    await mirrorOnto(at, ARM_R);
    expect(told[0]).toMatch(/same weights/);
    expect(doneLabels(at)).toHaveLength(count);
  });
});
