import { beforeEach, describe, expect, test } from '@jest/globals';
import { type Change, changeInfluence, OTHERS, weightOf } from '@judoka/core/weights';
import {
  ARM_L,
  ARM_R,
  CHEST,
  doneLabels,
  giveWeight,
  HAND_L,
  HAND_R,
  openAnother,
  openForEach,
  ringPoints,
  saved,
  weightsOf,
} from '../testing/testWorkspace.ts';
import type { SimulatedServer } from '../testing/SimulatedServer.ts';
import type { Workspace } from '../workspace/Workspace.ts';

let at: Workspace;
let server: SimulatedServer;
let before: ReturnType<typeof weightsOf>;
let change: Change;
openForEach((opened) => ({ at, server } = opened));
beforeEach(() => {
  before = weightsOf(at);
  change = giveWeight(at, ringPoints(18), CHEST, 0.75);
});

describe('a proposal', () => {
  test('is on the stage and not in the history; old and new can be looked at in turn', async () => {
    await at.document.proposals.propose('A binding', change);
    const proposed = weightsOf(at);
    expect(proposed).not.toEqual(before);
    expect(doneLabels(at)).toEqual([]);
    await at.document.proposals.show(false);
    expect(weightsOf(at)).toEqual(before);
    expect(at.document.proposals.current?.shown).toBe(false);
    await at.document.proposals.show(true);
    expect(weightsOf(at)).toEqual(proposed);
    expect(server.log).toHaveLength(0);
  });

  test('kept, it is one edit, whether old or new was looked at', async () => {
    await at.document.proposals.propose('A binding', change);
    const proposed = weightsOf(at);
    await at.document.proposals.show(false);
    await at.document.proposals.keep();
    expect(weightsOf(at)).toEqual(proposed);
    expect(doneLabels(at)).toEqual(['A binding']);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
    await saved(at);
    expect(server.changeOf(0)).toEqual(change);
  });

  test('dropped, everything is as it was, and nothing was sent', async () => {
    await at.document.proposals.propose('A binding', change);
    expect(await at.document.proposals.drop()).toBe(true);
    expect(weightsOf(at)).toEqual(before);
    expect(await at.document.proposals.drop()).toBe(false);
    expect(server.log).toHaveLength(0);
  });

  test('another takes its place', async () => {
    await at.document.proposals.propose('One', change);
    await at.document.proposals.propose('Two', giveWeightOf(before));
    expect(at.document.proposals.current?.label).toBe('Two');
    await at.document.proposals.drop();
    expect(weightsOf(at)).toEqual(before);
  });

  /** Another change, made on the weights as they were. */
  function giveWeightOf(_base: typeof before): Change {
    const rows = at.scene.parts[0].skin.rows;
    const now = { joints: rows.joints.slice(), values: rows.values.slice() };
    rows.joints.set(before[0].joints);
    rows.values.set(before[0].values);
    const other = giveWeight(at, ringPoints(20), ARM_L, 0.9);
    rows.joints.set(now.joints);
    rows.values.set(now.values);
    return other;
  }

  test('gives way to another amount of it without being dropped; kept, it is one edit', async () => {
    const other = giveWeightOf(before);
    const seen: (string | undefined)[] = [];
    await at.document.proposals.propose('A cure', change);
    const end = at.document.events.subscribe('shown', () => {
      seen.push(at.document.proposals.current?.label);
    });
    await at.document.proposals.show(false);
    const { comparison } = at.document.proposals;
    await at.document.proposals.exchange(comparison, other);
    end();
    expect(seen).not.toContain(undefined);
    expect(at.document.proposals.current).toMatchObject({ label: 'A cure', shown: true });
    await at.document.proposals.keep();
    await saved(at);
    expect(server.changeOf(0)).toEqual(other);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
    // What is decided is not exchanged, nor what is proposed after it.
    await at.document.proposals.propose('Another', change);
    const proposed = weightsOf(at);
    await at.document.proposals.exchange(comparison, other);
    expect(weightsOf(at)).toEqual(proposed);
    expect(at.document.proposals.current?.change).toEqual(change);
  });

  test('of nothing is none', async () => {
    await at.document.proposals.propose('Nothing', []);
    expect(at.document.proposals.current).toBeUndefined();
  });

  test('painting is refused while it stands, and possible again after', async () => {
    await at.document.proposals.propose('A binding', change);
    const brush = {
      tool: 'add',
      joint: ARM_L,
      strength: 1,
      value: 1,
      allInfluences: false,
      limit: 4,
      singlePass: false,
      receiver: { kind: 'others' },
    } as const;
    expect(() => at.painting.begin(brush)).toThrow(/A binding/);
    await at.document.proposals.drop();
    at.painting.begin(brush);
    at.painting.end('A stroke');
    expect(at.document.writer.holder).toBeUndefined();
  });

  test('edits of others are taken in below it: theirs elsewhere stands, and it goes on top', async () => {
    await at.document.proposals.propose('A binding', change);
    const proposed = weightsOf(at);
    server.edit('Theirs', { values: [{ path: `locks/${HAND_L}`, before: null, after: true }] });
    await at.document.log.follow(server.head);
    expect(at.document.locks[HAND_L]).toBe(1);
    expect(at.document.proposals.current?.shown).toBe(true);
    expect(weightsOf(at)).toEqual(proposed);
    await at.document.proposals.keep();
    await saved(at);
    expect(server.labels()).toEqual(['edit Theirs', 'edit A binding']);
  });

  test('if others leave nothing for it to do, it is dropped and told', async () => {
    const told: string[] = [];
    at.document.notify = (sentence) => void told.push(sentence);
    const all = giveWeight(at, ringPoints(18), CHEST, 1);
    await at.document.proposals.propose('A binding', change);
    server.edit('All of it', { weights: all });
    await at.document.log.follow(server.head);
    expect(at.document.proposals.current).toBeUndefined();
    expect(told.join(' ')).toMatch(/“A binding” is dropped/);
    expect(server.log).toHaveLength(1);
  });
});

describe('several side by side', () => {
  const one = (name: string, weights: Change) => ({ label: `By ${name}`, name, change: weights, notes: [] });

  test('edits of others are taken in below all of them, those on the stage and those that are not', async () => {
    const { proposals } = at.document;
    const comparison = await proposals.begin(one('first', change));
    expect(await proposals.add(comparison, one('second', giveWeight(at, ringPoints(20), ARM_L, 0.5)))).toBe(
      true,
    );
    // Theirs: points of the other hand.
    const theirs = giveWeight(at, ringPoints(2), ARM_R, 0.5);
    server.edit('Theirs', { weights: theirs });
    await at.document.log.follow(server.head);
    expect(proposals.current?.alternatives).toHaveLength(2);
    await proposals.choose(1);
    await proposals.keep();
    await saved(at);
    for (const p of ringPoints(2))
      expect(weightOf(at.scene.parts[0].skin.rows, p, ARM_R)).toBeCloseTo(0.5, 5);
  });

  test('one that was made before others edited goes on top of what they did', async () => {
    const { proposals } = at.document;
    const madeOn = proposals.head;
    const late = one('second', giveWeight(at, ringPoints(2, 3, 20), ARM_L, 0.5));
    const comparison = await proposals.begin(one('first', change), madeOn);
    server.edit('Theirs', { weights: giveWeight(at, ringPoints(2), ARM_R, 0.5) });
    await at.document.log.follow(server.head);
    const shown = weightsOf(at);
    expect(await proposals.add(comparison, late, { madeOn })).toBe(true);
    expect(weightsOf(at)).toEqual(shown);
    await proposals.choose(1);
    await proposals.choose(0);
    expect(weightsOf(at)).toEqual(shown);
    await proposals.choose(1);
    await proposals.keep();
    await saved(at);
    expect(server.labels()).toEqual(['edit Theirs', 'edit By second']);
  });

  test('what comes when they are decided is not taken', async () => {
    const { proposals } = at.document;
    const comparison = await proposals.begin(one('first', change));
    await proposals.drop();
    expect(await proposals.add(comparison, one('second', change))).toBe(false);
    expect(proposals.current).toBeUndefined();
    // Neither beside others that have come since.
    await proposals.begin(one('third', change));
    expect(await proposals.add(comparison, one('second', change))).toBe(false);
    expect(proposals.current?.alternatives.map(({ name }) => name)).toEqual(['third']);
    await proposals.drop();
  });
});

describe('over a reload', () => {
  /** The page is closed and opened again, on the same server and in the same browser. */
  async function reload(): Promise<Workspace> {
    at.close();
    const again = await openAnother();
    await again.document.proposals.restore();
    return again;
  }

  test('it stands on the stage again, with what there was to know of it; kept, it is the same edit', async () => {
    const notes = [{ words: 'Two points stayed.', part: 0, points: Uint32Array.of(3, 4) }];
    await at.document.proposals.propose('A binding', change, { notes });
    const proposed = weightsOf(at);
    const again = await reload();
    expect(again.document.proposals.current).toMatchObject({ label: 'A binding', shown: true, notes });
    expect(weightsOf(again)).toEqual(proposed);
    expect(server.log).toHaveLength(0);
    await again.document.proposals.keep();
    await saved(again);
    expect(server.labels()).toEqual(['edit A binding']);
    again.close();
  });

  test('looked at as it was, it is not lost either', async () => {
    await at.document.proposals.propose('A binding', change);
    await at.document.proposals.show(false);
    const again = await reload();
    expect(again.document.proposals.current?.label).toBe('A binding');
    await again.document.proposals.drop();
    expect(weightsOf(again)).toEqual(before);
    again.close();
  });

  test('kept or dropped, it does not come again', async () => {
    await at.document.proposals.propose('Kept', change);
    await at.document.proposals.keep();
    await saved(at);
    const after = weightsOf(at);
    const again = await reload();
    expect(again.document.proposals.current).toBeUndefined();
    expect(weightsOf(again)).toEqual(after);
    again.close();
  });

  test('it goes on top of what others did meanwhile', async () => {
    await at.document.proposals.propose('A binding', change);
    server.edit('Theirs', { weights: giveAsServer() });
    const again = await reload();
    const [body] = again.scene.parts;
    for (const p of ringPoints(4)) expect(weightOf(body.skin.rows, p, HAND_R)).toBeCloseTo(1, 5);
    for (const p of ringPoints(18)) expect(weightOf(body.skin.rows, p, CHEST)).toBeCloseTo(0.75, 5);
    again.close();
  });

  /** All weight of a ring on the right side, on the weights as the server has them. */
  function giveAsServer(): Change {
    const rules = { receiver: OTHERS, limit: 8, locks: new Uint8Array(8) };
    return [changeInfluence(0, server.state.rows[0], ringPoints(4), HAND_R, () => 1, rules).delta];
  }

  test('what only lasts as long as a drag is not kept', async () => {
    await at.document.proposals.propose('A drag', change, { isPassing: true });
    const again = await reload();
    expect(again.document.proposals.current).toBeUndefined();
    expect(weightsOf(again)).toEqual(before);
    again.close();
  });
});
