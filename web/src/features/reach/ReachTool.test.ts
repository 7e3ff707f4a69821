import { beforeEach, describe, expect, test } from '@jest/globals';
import { rowSum, weightOf } from '@judoka/core/weights';
import { setLocked } from '../../document/jointSettings.ts';
import { drag, TestStage } from '../../testing/testStage.ts';
import {
  ARM_L,
  ARM_R,
  BODY,
  doneLabels,
  HAND_L,
  HAND_R,
  openForEach,
  ringPoints,
  saved,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import type { SimulatedServer } from '../../testing/SimulatedServer.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { reachGesture } from './reachGesture.ts';

let at: Workspace;
let server: SimulatedServer;
let before: ReturnType<typeof weightsOf>;
openForEach((opened) => ({ at, server } = opened));
beforeEach(() => {
  before = weightsOf(at);
});

const ALL = [0, ARM_L, HAND_L, ARM_R, HAND_R];
const LIMIT = 4;
const weight = (point: number, joint: number): number =>
  weightOf(at.scene.parts[BODY].skin.rows, point, joint);
const sums = (): number[] => {
  const { rows } = at.scene.parts[BODY].skin;
  return Array.from({ length: rows.pointCount }, (_, p) => rowSum(rows, p));
};

describe('weights by reach', () => {
  test('every joint gets a capsule that fits the body, and the weights follow at once', () => {
    at.reachTool.begin(ALL, LIMIT);
    expect(at.reachTool.active).toBe(true);
    for (const joint of ALL) {
      const reach = at.reachTool.reaches.get(joint);
      expect(reach?.outer).toBeGreaterThan(0.2);
      expect(reach?.outer).toBeLessThan(3);
    }
    for (const sum of sums()) expect(sum).toBeCloseTo(1, 5);
    // Well inside the forearm the arm rules.
    for (const p of ringPoints(18)) expect(weight(p, ARM_L)).toBeGreaterThan(0.5);
    expect(doneLabels(at)).toEqual([]);
  });

  test('a capsule for one joint fits as it does among all: its own limb, not the body', () => {
    at.reachTool.begin(ALL, LIMIT);
    const among = at.reachTool.reaches.get(ARM_L);
    void at.reachTool.drop();
    at.reachTool.begin([ARM_L], LIMIT);
    expect(at.reachTool.reaches.get(ARM_L)).toEqual(among);
    expect(at.reachTool.reaches.size).toBe(1);
  });

  test('each drag is a step of undo of its own; redo goes forward again, and the first undo after them drops all', async () => {
    at.reachTool.begin(ALL, LIMIT);
    const first = weightsOf(at);
    const reach = at.reachTool.reaches.get(ARM_L);
    const widened = (by: number): void => {
      at.reachTool.set(ARM_L, { inner: 0.1, outer: by, strength: 1, falloff: 'smooth' }, true);
      at.reachTool.settle();
    };
    widened(1);
    const second = weightsOf(at);
    widened(2);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(second);
    await at.document.redo();
    expect(at.reachTool.reaches.get(ARM_L)?.outer).toBe(2);
    await at.document.undo();
    await at.document.undo();
    expect(weightsOf(at)).toEqual(first);
    expect(at.reachTool.reaches.get(ARM_L)).toEqual(reach);
    expect(at.reachTool.reaches.get(ARM_R)).toBeDefined();
    await at.document.undo();
    expect(at.reachTool.active).toBe(false);
    expect(weightsOf(at)).toEqual(before);
  });

  test('dropped, every weight is as it was, to the bit', async () => {
    at.reachTool.begin(ALL, LIMIT);
    at.reachTool.set(ARM_L, { inner: 0.1, outer: 2, strength: 1, falloff: 'smooth' }, true);
    expect(await at.reachTool.drop()).toBe(true);
    expect(weightsOf(at)).toEqual(before);
    expect(doneLabels(at)).toEqual([]);
    expect(await at.reachTool.drop()).toBe(false);
  });

  test('kept, it is one edit with the reaches in it; undo takes back both', async () => {
    at.reachTool.begin(ALL, LIMIT);
    at.reachTool.set(ARM_L, { inner: 0.1, outer: 1.5, strength: 1, falloff: 'smooth' }, true);
    at.reachTool.keep();
    const after = weightsOf(at);
    expect(doneLabels(at)).toEqual(['Weights by reach']);
    expect(at.document.settings.reaches[ARM_L]).toMatchObject({ outer: 1.5 });
    expect(at.document.settings.reaches[ARM_R]).toMatchObject({ outer: 1.5 });
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
    expect(at.document.settings.reaches[ARM_L]).toBeUndefined();
    await at.document.redo();
    expect(weightsOf(at)).toEqual(after);
    await saved(at);
    expect(server.labels()).toEqual([
      'edit Weights by reach',
      'undo Weights by reach',
      'redo Weights by reach',
    ]);
  });

  test('begun again, the reaches are those that were kept', () => {
    at.reachTool.begin(ALL, LIMIT);
    at.reachTool.set(ARM_L, { inner: 0.1, outer: 1.5, strength: 1, falloff: 'smooth' }, false);
    at.reachTool.keep();
    at.reachTool.begin(ALL, LIMIT);
    expect(at.reachTool.reaches.get(ARM_L)).toMatchObject({ inner: 0.1, outer: 1.5 });
  });

  test('a wider reach gives its joint more, and never less', () => {
    at.reachTool.begin(ALL, LIMIT);
    const sum = (): number => Array.from({ length: 200 }, (_, p) => weight(p, ARM_L)).reduce((a, b) => a + b);
    const widths = [0.5, 1, 2].map((outer) => {
      at.reachTool.set(ARM_L, { inner: 0.2, outer, strength: 1, falloff: 'smooth' }, false);
      return sum();
    });
    expect(widths[1]).toBeGreaterThanOrEqual(widths[0]);
    expect(widths[2]).toBeGreaterThanOrEqual(widths[1]);
  });

  test('locked joints keep what they have, to the bit', () => {
    setLocked(at.document, HAND_R, true);
    const held = Array.from({ length: 200 }, (_, p) => weight(p, HAND_R));
    at.reachTool.begin(ALL, LIMIT);
    at.reachTool.set(ARM_R, { inner: 1, outer: 3, strength: 1, falloff: 'smooth' }, false);
    expect(Array.from({ length: 200 }, (_, p) => weight(p, HAND_R))).toEqual(held);
  });

  test('nothing else may paint meanwhile, and it is said', () => {
    at.reachTool.begin(ALL, LIMIT);
    expect(() =>
      at.painting.begin({
        tool: 'add',
        joint: ARM_L,
        strength: 1,
        value: 1,
        allInfluences: false,
        limit: 4,
        singlePass: false,
        receiver: { kind: 'others' },
      }),
    ).toThrow(/Weights by reach/);
  });

  test('an edit of somebody else drops it, and says so; theirs stands', async () => {
    const told: string[] = [];
    at.document.notify = (sentence) => void told.push(sentence);
    at.reachTool.begin(ALL, LIMIT);
    server.edit('Their lock', { values: [{ path: `locks/${HAND_L}`, before: null, after: true }] });
    await at.document.log.follow(server.head);
    expect(at.reachTool.active).toBe(false);
    expect(told.join(' ')).toMatch(/dropped: others have changed/);
    expect(at.document.locks[HAND_L]).toBe(1);
    expect(weightsOf(at)).toEqual(before);
  });
});

describe('dragging an edge', () => {
  test('the outer edge goes with the pointer and takes the inner along inward; the partner too', () => {
    const stage = new TestStage(at);
    stage.settings = { ...stage.settings, placeMirrored: true };
    at.reachTool.begin(ALL, LIMIT);
    at.scene.chooseJoint(ARM_L);
    at.reachTool.set(ARM_L, { inner: 0.5, outer: 1, strength: 1, falloff: 'smooth' }, false);
    stage.reachRadius = 0.3;
    drag(reachGesture(stage.context, 'outer'), [{ x: 0, y: 0 }]);
    expect(at.reachTool.reaches.get(ARM_L)).toMatchObject({ inner: 0.3, outer: 0.3 });
    expect(at.reachTool.reaches.get(ARM_R)).toMatchObject({ inner: 0.3, outer: 0.3 });
    expect(stage.said).toEqual(['outer 0.300', '']);
    stage.reachRadius = 0.9;
    drag(reachGesture(stage.context, 'inner'), [{ x: 0, y: 0 }]);
    expect(at.reachTool.reaches.get(ARM_L)).toMatchObject({ inner: 0.9, outer: 0.9 });
  });
});
