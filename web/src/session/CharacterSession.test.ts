import { describe, expect, test } from '@jest/globals';
import { type Change, changeInfluence, invert, rowSum, weightOf } from '@judoka/core/weights';
import type { CharacterSession } from './CharacterSession.ts';
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
  weightsOf,
  type SimulatedServer,
} from './testSession.ts';
import { WeightWriter } from './weightWriter.ts';

let session: CharacterSession;
let server: SimulatedServer;
openForEach((opened) => ({ session, server } = opened));

/** Gives points of the body so much of a joint. */
function give(points: Uint32Array, joint: number, weight: number): Change {
  const { rows } = session.parts[BODY].skin;
  const rules = { receiver: { kind: 'others' }, limit: 4, locks: session.locks } as const;
  return [changeInfluence(BODY, rows, points, joint, () => weight, rules).delta];
}
const weight = (point: number, joint: number): number =>
  weightOf(session.parts[BODY].skin.rows, point, joint);

describe('edits', () => {
  test('are on the stage at once, in the history, and with the server to the bit', async () => {
    const points = ringPoints(12, 13);
    const change = give(points, ARM_L, 0.25);
    await session.perform('Give a little', change);
    for (const p of points) expect(weight(p, ARM_L)).toBeCloseTo(0.25, 6);
    expect(session.history.done.map(({ label }) => label)).toEqual(['Give a little']);
    await saved(session);
    expect(server.labels()).toEqual(['edit Give a little']);
    expect(server.changeOf(0)).toEqual(change);
  });

  test('an empty one leaves no trace', async () => {
    await session.perform('Nothing', []);
    expect(session.history.done).toEqual([]);
    expect(session.saveState.kind).toBe('saved');
  });

  test('undo and redo restore to the bit, and are edits of the log themselves', async () => {
    const before = weightsOf(session);
    await session.perform('one', give(ringPoints(12), ARM_L, 0.5));
    await session.perform('two', give(ringPoints(12, 14), ARM_R, 0.5));
    const after = weightsOf(session);
    await session.undo();
    await session.undo();
    expect(weightsOf(session)).toEqual(before);
    await session.undo();
    expect(weightsOf(session)).toEqual(before);
    await session.redo();
    await session.redo();
    expect(weightsOf(session)).toEqual(after);
    await saved(session);
    expect(server.labels()).toEqual(['edit one', 'edit two', 'undo two', 'undo one', 'redo one', 'redo two']);
  });

  test('the surface follows in the pose on the stage', async () => {
    session.setPose(turned({ [ARM_L]: ['z', 90] }));
    const { positions } = session.parts[BODY].skin;
    const p = 12 * AROUND;
    const before = positions[p * 3 + 1];
    await session.perform('Give', give(ringPoints(12), ARM_L, 1));
    // What stood one to the left of the elbow's turn now hangs below it.
    expect(Math.abs(positions[p * 3 + 1] - before)).toBeGreaterThan(0.9);
    session.setShowsRest(true);
    expect(positions[p * 3 + 1]).toBeCloseTo(before, 5);
  });

  test('how far a change would move the surface is told without changing anything', () => {
    session.setPose(turned({ [ARM_L]: ['z', 90] }));
    const before = weightsOf(session);
    const change = give(ringPoints(12), ARM_L, 1);
    expect(session.movementOf(change)).toBeGreaterThan(1);
    expect(weightsOf(session)).toEqual(before);
  });

  test('a change made on other weights is refused whole', async () => {
    const change = give(ringPoints(12), ARM_L, 0.5);
    await session.perform('other', give(ringPoints(12), ARM_R, 0.5));
    const before = weightsOf(session);
    await expect(session.perform('late', change)).rejects.toThrow('made on other weights');
    expect(weightsOf(session)).toEqual(before);
  });
});

describe('writing in turns', () => {
  test('comes out as writing at once does; while it lasts nothing else may', async () => {
    session.chooseJoint(ARM_L);
    const change = give(ringPoints(11, 12, 13), ARM_L, 0.5);
    session.applyContent({ change, joints: [] });
    const atOnce = { weights: weightsOf(session), column: [...session.parts[BODY].column] };
    session.applyContent({ change: invert(change), joints: [] });
    const writer = new WeightWriter(session);
    const written = writer.writeInTurns(change);
    expect(writer.busy).toBe(true);
    await written;
    expect(writer.busy).toBe(false);
    expect({ weights: weightsOf(session), column: [...session.parts[BODY].column] }).toEqual(atOnce);
  });

  test('what was made on other weights is refused before anything is written', async () => {
    const before = weightsOf(session);
    const [delta] = give(ringPoints(12, 13), ARM_L, 0.5);
    const wrong = { ...delta, before: { ...delta.before, values: delta.before.values.slice() } };
    wrong.before.values[AROUND * 8] = 0.3;
    const writer = new WeightWriter(session);
    await expect(writer.writeInTurns([wrong])).rejects.toThrow('made on other weights');
    expect(writer.busy).toBe(false);
    expect(weightsOf(session)).toEqual(before);
  });
});

describe('others at work', () => {
  test('their edits are taken in, and ours put on top', async () => {
    const theirs = give(ringPoints(6), CHEST, 1);
    server.edit('theirs', theirs);
    await session.perform('ours', give(ringPoints(12), ARM_L, 0.5));
    await saved(session);
    expect(server.labels()).toEqual(['edit theirs', 'edit ours']);
    expect(session.history.done.map(({ label }) => label)).toEqual(['theirs', 'ours']);
    for (const p of ringPoints(6)) expect(weight(p, CHEST)).toBe(1);
    for (const p of ringPoints(12)) expect(weight(p, ARM_L)).toBeCloseTo(0.5, 6);
    expect(session.notice).toContain('1 change was made');
  });

  test('on the same points ours stay, and undo shows theirs', async () => {
    server.edit('theirs', give(ringPoints(12), ARM_R, 0.75));
    await session.perform('ours', give(ringPoints(12), ARM_L, 0.5));
    await saved(session);
    expect(session.notice).toContain('8 points had been changed there too');
    await session.undo();
    for (const p of ringPoints(12)) expect(weight(p, ARM_R)).toBeCloseTo(0.75, 6);
    await saved(session);
    expect(server.labels()).toEqual(['edit theirs', 'edit ours', 'undo ours']);
  });

  test('while the server is away work goes on; all of it is sent later, in order', async () => {
    server.isAway = true;
    await session.perform('one', give(ringPoints(12), ARM_L, 0.5));
    while (session.saveState.kind !== 'offline') await new Promise((resolve) => setTimeout(resolve, 5));
    await session.perform('two', give(ringPoints(13), ARM_L, 0.5));
    expect(session.saveState).toEqual({ kind: 'offline', count: 2 });
    server.isAway = false;
    await saved(session);
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
      smoothAll: false,
      limit: 4,
      receiver: { kind: 'others' },
    }) as never;

  test('are one edit, however many dabs they have', async () => {
    session.chooseJoint(ARM_L);
    const run = session.beginStroke(brush(ARM_L));
    const part = session.parts[BODY];
    for (const ring of [11, 12, 13]) {
      part.paint.points.set(ringPoints(ring));
      part.paint.amounts.fill(1, 0, AROUND);
      run.dab(part, AROUND, 1);
    }
    session.endStroke('Set to, arm_L');
    await saved(session);
    expect(server.labels()).toEqual(['edit Set to, arm_L']);
    expect([...server.changeOf(0)[0].points]).toEqual([...ringPoints(11, 12, 13)]);
    for (const p of ringPoints(11, 12, 13)) {
      expect(weight(p, ARM_L)).toBe(1);
      // What is drawn of the chosen joint says so.
      expect(part.column[p]).toBe(1);
    }
  });

  test('an undo that comes during one waits for its end', async () => {
    await session.perform('one', give(ringPoints(12), ARM_L, 0.5));
    const run = session.beginStroke(brush(ARM_R));
    const undone = session.undo();
    const part = session.parts[BODY];
    part.paint.points.set(ringPoints(12));
    part.paint.amounts.fill(1, 0, AROUND);
    run.dab(part, AROUND, 1);
    session.endStroke('a stroke');
    await undone;
    // The stroke was the last thing done: that is what is undone.
    expect(session.history.done.map(({ label }) => label)).toEqual(['one']);
    for (const p of ringPoints(12)) expect(weight(p, ARM_L)).toBeCloseTo(0.5, 6);
  });
});

describe('what else belongs to a character', () => {
  test('locks, deforming and settings are put, and told', async () => {
    const told: string[] = [];
    for (const topic of ['locks', 'settings', 'joint'] as const)
      session.topics.subscribe(topic, () => told.push(topic));
    session.setLocked(HAND_L, true);
    session.setDeforms(ARM_R, false);
    session.setSettings({ skinning: 'dual' });
    session.chooseJoint(ARM_L);
    session.toggleChosen(ARM_R);
    expect(session.chosenJoints()).toEqual([ARM_L, ARM_R]);
    session.toggleChosen(ARM_R);
    expect(session.chosenJoints()).toEqual([ARM_L]);
    while (server.put.size < 3) await new Promise((resolve) => setTimeout(resolve, 5));
    expect(server.put.get('locks')).toEqual({ joints: [HAND_L] });
    expect(server.put.get('still')).toEqual({ joints: [ARM_R] });
    expect(server.put.get('settings')).toMatchObject({ skinning: 'dual' });
    expect(told).toEqual(['locks', 'locks', 'settings', 'joint', 'joint', 'joint']);
  });

  test('what cannot be put is told in a sentence', async () => {
    await session.perform('signs in', give(ringPoints(12), ARM_L, 0.5));
    await saved(session);
    server.isAway = true;
    session.setLocked(HAND_L, true);
    while (session.notice === '') await new Promise((resolve) => setTimeout(resolve, 5));
    expect(session.notice).toContain('The locks could not be saved.');
  });

  test('pairs are found by name and place, and corrected by hand', () => {
    expect(session.pairs.partner[ARM_L]).toBe(ARM_R);
    expect(session.pairs.partner[CHEST]).toBe(CHEST);
    session.setSettings({ pairs: { [ARM_L]: -1 } });
    expect(session.pairs.partner[ARM_L]).toBe(-1);
  });

  test('dual quaternions keep the tube as thick as it is where matrices pinch it', () => {
    session.setPose(turned({ [ARM_L]: ['x', 160] }));
    const { positions } = session.parts[BODY].skin;
    // The ring at the shoulder, half chest and half arm, twisted.
    const p = 16 * AROUND;
    const radius = (): number => Math.hypot(positions[p * 3 + 1], positions[p * 3 + 2]);
    const pinched = radius();
    session.setSettings({ skinning: 'dual' });
    expect(pinched).toBeLessThan(0.2);
    expect(radius()).toBeCloseTo(0.4, 2);
  });

  test('the hat follows the chest, and rows sum to one everywhere', () => {
    for (const { skin } of session.parts)
      for (let p = 0; p < skin.rows.pointCount; p++) expect(rowSum(skin.rows, p)).toBeCloseTo(1, 6);
    expect(weightOf(session.parts[HAT].skin.rows, 0, CHEST)).toBe(1);
    expect(session.partName(HAT)).toBe('hat');
    expect(session.jointName(HAND_L)).toBe('hand_L');
    expect(session.extent()).toBeCloseTo(6, 5);
  });
});
