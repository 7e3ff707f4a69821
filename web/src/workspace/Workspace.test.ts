import { addJoint } from '@judoka/core/skeleton';
import { refusedOfCharacter } from '../document/queue/editStore.ts';
import { refusedFile, tryAgain } from '../features/saving/refused.ts';
import type { Workspace } from './Workspace.ts';
import { describe, expect, test } from '@jest/globals';
import { type Change, changeInfluence, rowSum, weightOf } from '@judoka/core/weights';
import {
  ARM_L,
  ARM_R,
  AROUND,
  BODY,
  CHEST,
  HAND_L,
  HAT,
  openForEach,
  ringPoints,
  saved,
  turned,
  doneLabels,
  openAnother,
  weightsOf,
} from '../testing/testWorkspace.ts';
import type { SimulatedServer } from '../testing/SimulatedServer.ts';
import { setDeforming, setLocked } from '../document/jointSettings.ts';
import { addJointTo, renameJointTo } from '../features/joints/jointEdits.ts';
import { applySlices } from '../document/applySlices.ts';

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened));

/** Gives points of the body so much of a joint. */
function give(points: Uint32Array, joint: number, weight: number): Change {
  const { rows } = at.scene.parts[BODY].skin;
  const rules = { receiver: { kind: 'others' }, limit: 4, locks: at.document.locks } as const;
  return [changeInfluence(BODY, rows, points, joint, () => weight, rules).delta];
}
const weight = (point: number, joint: number): number =>
  weightOf(at.scene.parts[BODY].skin.rows, point, joint);

describe('edits', () => {
  test('are on the stage at once, in the history, and with the server to the bit', async () => {
    const points = ringPoints(12, 13);
    const change = give(points, ARM_L, 0.25);
    await at.document.perform('Give a little', { weights: change });
    for (const p of points) expect(weight(p, ARM_L)).toBeCloseTo(0.25, 6);
    expect(doneLabels(at)).toEqual(['Give a little']);
    await saved(at);
    expect(server.labels()).toEqual(['edit Give a little']);
    expect(server.changeOf(0)).toEqual(change);
  });

  test('an empty one leaves no trace', async () => {
    await at.document.perform('Nothing', {});
    expect(doneLabels(at)).toEqual([]);
    expect(at.document.saveState.kind).toBe('saved');
  });

  test('undo and redo restore to the bit, and are edits of the log themselves', async () => {
    const before = weightsOf(at);
    await at.document.perform('one', { weights: give(ringPoints(12), ARM_L, 0.5) });
    await at.document.perform('two', { weights: give(ringPoints(12, 14), ARM_R, 0.5) });
    const after = weightsOf(at);
    await at.document.undo();
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
    await at.document.redo();
    await at.document.redo();
    expect(weightsOf(at)).toEqual(after);
    await saved(at);
    expect(server.labels()).toEqual(['edit one', 'edit two', 'undo two', 'undo one', 'redo one', 'redo two']);
  });

  test('the surface follows in the pose on the stage', async () => {
    at.scene.setPose(turned({ [ARM_L]: ['z', 90] }));
    const { positions } = at.scene.parts[BODY].skin;
    const p = 12 * AROUND;
    const before = positions[p * 3 + 1];
    await at.document.perform('Give', { weights: give(ringPoints(12), ARM_L, 1) });
    // What stood one to the left of the elbow's turn now hangs below it.
    expect(Math.abs(positions[p * 3 + 1] - before)).toBeGreaterThan(0.9);
    at.scene.setShowsRest(true);
    expect(positions[p * 3 + 1]).toBeCloseTo(before, 5);
  });

  test('how far a change would move the surface is told without changing anything', () => {
    at.scene.setPose(turned({ [ARM_L]: ['z', 90] }));
    const before = weightsOf(at);
    const change = give(ringPoints(12), ARM_L, 1);
    expect(at.scene.movementOf(change)).toBeGreaterThan(1);
    expect(weightsOf(at)).toEqual(before);
  });

  test('a change made on other weights is refused whole', async () => {
    const change = give(ringPoints(12), ARM_L, 0.5);
    await at.document.perform('other', { weights: give(ringPoints(12), ARM_R, 0.5) });
    const before = weightsOf(at);
    await expect(at.document.perform('late', { weights: change })).rejects.toThrow('made on other weights');
    expect(weightsOf(at)).toEqual(before);
  });
});

describe('writing in turns', () => {
  const nothing = (): void => undefined;
  test('comes out as writing at once does', async () => {
    const rows = at.document.copyRows();
    const change = give(ringPoints(11, 12, 13), ARM_L, 0.5);
    const told: number[] = [];
    await applySlices(rows, change, (_part, points, count) => told.push(...points.subarray(0, count)));
    await at.document.perform('at once', { weights: change });
    expect(rows).toEqual(at.document.copyRows());
    expect(told).toEqual([...ringPoints(11, 12, 13)]);
  });

  test('what was made on other weights is refused before anything is written', async () => {
    const rows = at.document.copyRows();
    const [delta] = give(ringPoints(12, 13), ARM_L, 0.5);
    const wrong = { ...delta, before: { ...delta.before, values: delta.before.values.slice() } };
    wrong.before.values[AROUND * 8] = 0.3;
    await expect(applySlices(rows, [wrong], nothing)).rejects.toThrow('made on other weights');
    expect(rows).toEqual(at.document.copyRows());
  });
});

describe('others at work', () => {
  test('their edits are taken in, and ours put on top', async () => {
    const theirs = give(ringPoints(6), CHEST, 1);
    server.edit('theirs', { weights: theirs });
    await at.document.perform('ours', { weights: give(ringPoints(12), ARM_L, 0.5) });
    await saved(at);
    expect(server.labels()).toEqual(['edit theirs', 'edit ours']);
    expect(doneLabels(at)).toEqual(['theirs', 'ours']);
    for (const p of ringPoints(6)) expect(weight(p, CHEST)).toBe(1);
    for (const p of ringPoints(12)) expect(weight(p, ARM_L)).toBeCloseTo(0.5, 6);
    expect(at.document.notice?.sentence).toContain('1 change was made');
  });

  test('on the same points both stay as far as they can, and undo leaves theirs', async () => {
    server.edit('theirs', { weights: give(ringPoints(12), ARM_R, 0.25) });
    await at.document.perform('ours', { weights: give(ringPoints(12), ARM_L, 0.5) });
    await saved(at);
    expect(at.document.notice?.sentence).toContain('8 points had been changed there too');
    for (const p of ringPoints(12)) {
      expect(weight(p, ARM_L)).toBeCloseTo(0.5, 5);
      expect(weight(p, ARM_R)).toBeCloseTo(0.25, 5);
    }
    await at.document.undo();
    for (const p of ringPoints(12)) expect(weight(p, ARM_R)).toBeCloseTo(0.25, 6);
    await saved(at);
    expect(server.labels()).toEqual(['edit theirs', 'edit ours', 'undo ours']);
  });

  test('what cannot be taken is told, shown, and one step away', async () => {
    server.edit('theirs', { weights: give(ringPoints(12), ARM_R, 1) });
    await at.document.perform('ours', { weights: give(ringPoints(12), ARM_L, 1) });
    await saved(at);
    for (const p of ringPoints(12)) expect(weight(p, ARM_R)).toBe(1);
    expect([...at.document.leftOut[0].points]).toEqual([...ringPoints(12)]);
    await at.document.takeLeftOut();
    for (const p of ringPoints(12)) expect(weight(p, ARM_L)).toBe(1);
    expect(at.document.leftOut).toEqual([]);
  });

  test('of several of one’s own there, the last is taken in one step, and undone in one', async () => {
    server.edit('theirs', { weights: give(ringPoints(12), ARM_R, 1) });
    await at.document.perform('first', { weights: give(ringPoints(12), ARM_L, 1) });
    await at.document.perform('second', { weights: give(ringPoints(12), HAND_L, 1) });
    await saved(at);
    const theirs = weightsOf(at);
    expect(at.document.leftOut.map(({ points }) => [...points])).toEqual([[...ringPoints(12)]]);
    await at.document.takeLeftOut();
    for (const p of ringPoints(12)) expect(weight(p, HAND_L)).toBe(1);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(theirs);
    await saved(at);
  });

  test('joints added by both at once are two joints', async () => {
    await addJointTo(at, CHEST, 'mine', [0, 1, 0]);
    await at.document.perform('on mine', { weights: give(ringPoints(12), at.scene.joint, 1) });
    server.edit('theirs', {
      joints: addJoint(server.state.skeleton, 'theirs-id', CHEST, 'theirs', [0, 2, 0]),
    });
    await saved(at);
    const names = at.document.skeleton.joints.map(({ name }) => name);
    expect(names.slice(5)).toEqual(['theirs', 'mine']);
    for (const p of ringPoints(12)) expect(weight(p, 6)).toBe(1);
    expect(server.state.skeleton.joints.map(({ name }) => name)).toEqual(names);
  });

  test('an edit that the server refuses is set aside, and what came after it goes on', async () => {
    server.refuses = (label) => label === 'bad';
    await at.document.perform('good', { weights: give(ringPoints(11), ARM_L, 0.5) });
    await at.document.perform('bad', { weights: give(ringPoints(12), ARM_L, 0.5) });
    await at.document.perform('after', { weights: give(ringPoints(13), ARM_L, 0.5) });
    await saved(at);
    expect(server.labels()).toEqual(['edit good', 'edit after']);
    expect(doneLabels(at)).toEqual(['good', 'after']);
    for (const p of ringPoints(12)) expect(weight(p, ARM_L)).toBe(0);
    const refused = await refusedOfCharacter(at.document.id);
    expect(refused).toMatchObject([{ label: 'bad', reason: expect.stringContaining('will not have it') }]);
    expect(new TextDecoder().decode(refusedFile(refused[0]).bytes)).toContain('"label": "bad"');
    server.refuses = () => false;
    await tryAgain(at.document, refused[0]);
    await saved(at);
    for (const p of ringPoints(12)) expect(weight(p, ARM_L)).toBeCloseTo(0.5, 6);
    expect(await refusedOfCharacter(at.document.id)).toEqual([]);
  });

  test('a reader follows, and both end with the same while both work', async () => {
    const other = await openAnother();
    const follow = () => other.document.log.follow(server.head);
    await at.document.perform('one', { weights: give(ringPoints(12), ARM_L, 0.5) });
    setLocked(at.document, HAND_L, true);
    await renameJointTo(at, ARM_R, 'wing');
    await saved(at);
    await follow();
    expect(weightsOf(other)).toEqual(weightsOf(at));
    expect(other.document.settings.locks.has(HAND_L)).toBe(true);
    expect(other.document.jointName(ARM_R)).toBe('wing');
    expect(doneLabels(other)).toEqual(['one', 'Lock hand_L', 'Rename arm_R']);
    await other.document.undo();
    await saved(other);
    await at.document.log.follow(server.head);
    expect(at.document.jointName(ARM_R)).toBe('arm_R');
    other.close();
  });

  test('while the server is away work goes on; all of it is sent later, in order', async () => {
    server.isAway = true;
    await at.document.perform('one', { weights: give(ringPoints(12), ARM_L, 0.5) });
    while (at.document.saveState.kind !== 'offline') await new Promise((resolve) => setTimeout(resolve, 5));
    await at.document.perform('two', { weights: give(ringPoints(13), ARM_L, 0.5) });
    expect(at.document.saveState).toMatchObject({ kind: 'offline', count: 2 });
    server.isAway = false;
    await saved(at);
    expect(server.labels()).toEqual(['edit one', 'edit two']);
  });
});

describe('strokes', () => {
  const brush = (joint: number) =>
    ({
      tool: 'set',
      joint,
      strength: 1,
      value: 1,
      allInfluences: false,
      limit: 4,
      receiver: { kind: 'others' },
    }) as never;

  test('are one edit, however many dabs they have', async () => {
    at.scene.chooseJoint(ARM_L);
    const run = at.painting.begin(brush(ARM_L));
    const part = at.scene.parts[BODY];
    for (const ring of [11, 12, 13]) {
      part.paint.points.set(ringPoints(ring));
      part.paint.amounts.fill(1, 0, AROUND);
      run.dab(part, AROUND, 1);
    }
    at.painting.end('Set to, arm_L');
    await saved(at);
    expect(server.labels()).toEqual(['edit Set to, arm_L']);
    expect([...server.changeOf(0)[0].points]).toEqual([...ringPoints(11, 12, 13)]);
    for (const p of ringPoints(11, 12, 13)) {
      expect(weight(p, ARM_L)).toBe(1);
      // What is drawn of the chosen joint says so.
      expect(part.jointWeights[p]).toBe(1);
    }
  });

  test('an undo that comes during one waits for its end', async () => {
    await at.document.perform('one', { weights: give(ringPoints(12), ARM_L, 0.5) });
    const run = at.painting.begin(brush(ARM_R));
    const undone = at.document.undo();
    const part = at.scene.parts[BODY];
    part.paint.points.set(ringPoints(12));
    part.paint.amounts.fill(1, 0, AROUND);
    run.dab(part, AROUND, 1);
    at.painting.end('a stroke');
    await undone;
    // The stroke was the last thing done: that is what is undone.
    expect(doneLabels(at)).toEqual(['one']);
    for (const p of ringPoints(12)) expect(weight(p, ARM_L)).toBeCloseTo(0.5, 6);
  });
});

describe('what else belongs to a character', () => {
  test('locks, deforming and skinning are edits, and told', async () => {
    const told: string[] = [];
    at.document.events.subscribe('values', () => told.push('values'));
    at.scene.events.subscribe('joint', () => told.push('joint'));
    setLocked(at.document, HAND_L, true);
    setDeforming(at.document, ARM_R, false);
    at.document.setValues('Skinning', { skinning: 'dual' });
    at.scene.chooseJoint(ARM_L);
    at.scene.toggleChosen(ARM_R);
    expect(at.scene.chosenJoints()).toEqual([ARM_L, ARM_R]);
    at.scene.toggleChosen(ARM_R);
    expect(at.scene.chosenJoints()).toEqual([ARM_L]);
    await saved(at);
    expect(server.state.values).toEqual({
      [`locks/${HAND_L}`]: true,
      [`nonDeforming/${ARM_R}`]: true,
      skinning: 'dual',
    });
    expect(at.document.locks[HAND_L]).toBe(1);
    expect(told).toEqual(['values', 'values', 'values', 'joint', 'joint', 'joint']);
  });

  test('undo takes back the last thing done, whatever it was, one by one', async () => {
    const before = { weights: weightsOf(at), values: at.document.values, joints: at.document.skeleton };
    await at.document.perform('Give', { weights: give(ringPoints(12), ARM_L, 0.5) });
    setLocked(at.document, HAND_L, true);
    at.scene.setPose(turned({ [ARM_L]: ['z', 90] }), 'Pose arm_L', 'pose:arm');
    at.document.setValues('Skinning', { skinning: 'dual' });
    await renameJointTo(at, ARM_R, 'wing');
    expect(doneLabels(at)).toEqual(['Give', 'Lock hand_L', 'Pose arm_L', 'Skinning', 'Rename arm_R']);
    await at.document.undo();
    expect(at.document.jointName(ARM_R)).toBe('arm_R');
    await at.document.undo();
    expect(at.scene.deformer.skinning).toBe('linear');
    await at.document.undo();
    expect(at.scene.pose).toEqual({});
    await at.document.undo();
    expect(at.document.locks[HAND_L]).toBe(0);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before.weights);
    expect(at.document.values).toEqual(before.values);
    expect(at.document.skeleton).toEqual(before.joints);
    await saved(at);
    expect(server.state.values).toEqual({});
  });

  test('moves of one handle that follow each other are one edit; another handle begins the next', async () => {
    for (const angle of [10, 20, 30]) {
      at.scene.setPose(turned({ [ARM_L]: ['z', angle] }), 'Pose arm_L', 'arm');
      at.scene.settlePose();
    }
    at.scene.setPose(turned({ [ARM_L]: ['z', 30], [ARM_R]: ['z', 5] }), 'Pose arm_R', 'other arm');
    await saved(at);
    expect(server.labels()).toEqual(['edit Pose arm_L', 'edit Pose arm_R']);
    await at.document.undo();
    expect(at.scene.pose).toEqual(turned({ [ARM_L]: ['z', 30] }));
    await at.document.undo();
    expect(at.scene.pose).toEqual({});
  });

  test('a lock made while the server is away is kept, counted, and sent later', async () => {
    server.isAway = true;
    setLocked(at.document, HAND_L, true);
    while (at.document.saveState.kind !== 'offline') await new Promise((resolve) => setTimeout(resolve, 5));
    expect(at.document.saveState).toMatchObject({ kind: 'offline', count: 1 });
    server.isAway = false;
    await saved(at);
    expect(server.state.values).toEqual({ [`locks/${HAND_L}`]: true });
  });

  test('pairs are found by name and place, and corrected by hand', () => {
    expect(at.document.pairs.partner[ARM_L]).toBe(ARM_R);
    expect(at.document.pairs.partner[CHEST]).toBe(CHEST);
    at.document.setValues('Partner', { [`pairs/${ARM_L}`]: -1 });
    expect(at.document.pairs.partner[ARM_L]).toBe(-1);
  });

  test('dual quaternions keep the tube as thick as it is where matrices pinch it', () => {
    at.scene.setPose(turned({ [ARM_L]: ['x', 160] }));
    const { positions } = at.scene.parts[BODY].skin;
    // The ring at the shoulder, half chest and half arm, twisted.
    const p = 16 * AROUND;
    const radius = (): number => Math.hypot(positions[p * 3 + 1], positions[p * 3 + 2]);
    const pinched = radius();
    at.document.setValues('Skinning', { skinning: 'dual' });
    expect(pinched).toBeLessThan(0.2);
    expect(radius()).toBeCloseTo(0.4, 2);
  });

  test('the hat follows the chest, and rows sum to one everywhere', () => {
    for (const { skin } of at.scene.parts)
      for (let p = 0; p < skin.rows.pointCount; p++) expect(rowSum(skin.rows, p)).toBeCloseTo(1, 6);
    expect(weightOf(at.scene.parts[HAT].skin.rows, 0, CHEST)).toBe(1);
    expect(at.document.partName(HAT)).toBe('hat');
    expect(at.document.jointName(HAND_L)).toBe('hand_L');
    expect(at.document.size).toBeCloseTo(6, 5);
  });
});
