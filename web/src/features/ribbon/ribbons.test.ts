import { beforeEach, describe, expect, test } from '@jest/globals';
import { influencesOf, weightOf } from '@judoka/core/weights';
import { carriedClips } from '../../document/carriedClips.ts';
import {
  ARM_L,
  AROUND,
  BODY,
  CHEST,
  doneLabels,
  HAND_L,
  openForEach,
  ringPoints,
  turned,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { giveOwnJoints, hasOwnJoints, offFromRibbon } from './ownJoints.ts';
import { changeRibbon, layNew, layOne, partOfChain, removeRibbon } from './ribbons.ts';

let at: Workspace;
let told: string[];
openForEach((opened) => ({ at } = opened));
beforeEach(() => {
  told = [];
  at.document.notify = (sentence) => void told.push(sentence);
});

const CHAIN = [CHEST, ARM_L, HAND_L];
/** A ring of the body between the left arm and its hand. */
const BETWEEN = 18;
const LIMIT = 4;
const only = () => at.document.settings.ribbons[0];
const jointCount = (): number => at.document.skeleton.joints.filter(({ removed }) => !removed).length;

/** All that a document says, to be compared; a joint that is gone keeps its number. */
const standing = () => ({ values: at.document.values, weights: weightsOf(at), joints: jointCount() });

function lay(): void {
  layNew(at, CHAIN, BODY);
  at.document.settle();
}

describe('a ribbon along a chain', () => {
  test('is laid on the part that the chain has most of, as one edit; undone, nothing of it is left', async () => {
    expect(partOfChain(at, CHAIN)).toBe(BODY);
    lay();
    expect(only()).toMatchObject({ name: 'chest to hand_L', part: BODY, joints: CHAIN, controls: 4 });
    expect(only().width).toBeGreaterThan(0);
    expect(doneLabels(at)).toEqual(['Ribbon chest to hand_L']);
    expect(layOne(at, only())).toBeDefined();
    await at.document.undo();
    expect(at.document.values).toEqual({});
  });

  test('of one joint is refused, and nothing is laid', () => {
    expect(() => layNew(at, [ARM_L], BODY)).toThrow(/two joints or more/);
    expect(at.document.values).toEqual({});
  });

  test('a drag of one slider is one edit, and another slider another one', async () => {
    lay();
    const width = only().width;
    for (const share of [0.9, 0.8, 0.7]) changeRibbon(at, only(), { width: width * share });
    changeRibbon(at, only(), { controls: 6 });
    at.document.settle();
    expect(only()).toMatchObject({ width: width * 0.7, controls: 6 });
    expect(doneLabels(at)).toHaveLength(3);
    await at.document.undo();
    await at.document.undo();
    expect(only()).toMatchObject({ width, controls: 4 });
  });

  test('bends the part in the pose, as a curve does and not as the joint alone', () => {
    const pose = turned({ [ARM_L]: ['z', 60] });
    at.scene.setPose(pose);
    const places = (): number[] =>
      [...ringPoints(BETWEEN)].flatMap((p) => [
        ...at.scene.parts[BODY].skin.positions.subarray(p * 3, p * 3 + 3),
      ]);
    const jointed = places();
    lay();
    at.scene.setPose(turned({}));
    at.scene.setPose(pose);
    const curved = places();
    expect(Math.max(...curved.map((x, i) => Math.abs(x - jointed[i])))).toBeGreaterThan(0.02);
    changeRibbon(at, only(), { isOff: true });
    at.scene.setPose(turned({}));
    at.scene.setPose(pose);
    places().forEach((x, i) => expect(x).toBeCloseTo(jointed[i], 5));
  });
});

describe('joints of its own', () => {
  test('carry the part, come with the clips, and are gone after one undo', async () => {
    lay();
    const before = standing();
    await giveOwnJoints(at, only(), 5, LIMIT);
    expect(jointCount()).toBe(10);
    expect(only()).toMatchObject({ isOff: true });
    expect(hasOwnJoints(at, only())).toBe(true);
    const { rows } = at.scene.parts[BODY].skin;
    const [p] = ringPoints(BETWEEN);
    const influences = influencesOf(rows, p);
    expect(influences.length).toBeLessThanOrEqual(LIMIT);
    expect(influences[0].joint).toBeGreaterThanOrEqual(5);
    const [wave] = carriedClips(at.document);
    expect(new Set(wave.tracks.map(({ joint }) => joint)).size).toBeGreaterThan(3);
    await at.document.undo();
    expect(standing()).toEqual(before);
  });

  test('come nearer to the ribbon the more there are', async () => {
    lay();
    const offs: number[] = [];
    for (const count of [3, 12]) {
      await giveOwnJoints(at, only(), count, LIMIT);
      const off = await offFromRibbon(at, only(), () => false);
      expect(off).toMatchObject({ clips: 1 });
      offs.push(off?.rms ?? NaN);
      await at.document.undo();
    }
    expect(offs[1]).toBeGreaterThan(0);
    expect(offs[1]).toBeLessThan(0.9 * offs[0]);
  });

  test('leave locked joints what they have, to the bit', async () => {
    lay();
    const { rows } = at.scene.parts[BODY].skin;
    const held = ringPoints(14, 15, 16);
    const before = [...held].map((p) => weightOf(rows, p, ARM_L));
    at.document.setValues('Lock arm_L', { 'locks/1': true });
    expect(at.document.locks[ARM_L]).toBe(1);
    await giveOwnJoints(at, only(), 4, LIMIT);
    expect([...held].map((p) => weightOf(rows, p, ARM_L))).toEqual(before);
    for (let point = 0; point < 25 * AROUND; point++) {
      const sum = influencesOf(rows, point).reduce((all, { weight }) => all + weight, 0);
      expect(sum).toBeCloseTo(1, 5);
    }
  });

  test('are not grown twice: the part is hung on those that are there', async () => {
    lay();
    await giveOwnJoints(at, only(), 4, LIMIT);
    const own = only().ownJoints;
    changeRibbon(at, only(), { sharesTwist: false });
    at.document.settle();
    await giveOwnJoints(at, only(), 7, LIMIT);
    expect(only().ownJoints).toEqual(own);
    expect(jointCount()).toBe(9);
  });

  test('stay where the ribbon is taken away, which is told; without any, nothing is', async () => {
    lay();
    removeRibbon(at, only());
    expect(told).toEqual([]);
    await at.document.undo();
    await giveOwnJoints(at, only(), 4, LIMIT);
    removeRibbon(at, only());
    expect(at.document.settings.ribbons).toEqual([]);
    expect(jointCount()).toBe(9);
    expect(told).toEqual([expect.stringMatching(/undo brings the ribbon back/)]);
    await at.document.undo();
    expect(hasOwnJoints(at, only())).toBe(true);
  });
});
