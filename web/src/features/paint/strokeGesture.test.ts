import { beforeEach, describe, expect, test } from '@jest/globals';
import { rowSum, weightOf } from '@judoka/core/weights';
import { setLocked } from '../../document/jointSettings.ts';
import { drag, pointer, TestStage } from '../../testing/testStage.ts';
import {
  ARM_L,
  BODY,
  CHEST,
  doneLabels,
  HAND_L,
  openForEach,
  turned,
  until,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { gradientGesture } from './gradientGesture.ts';
import { strokeGesture } from './strokeGesture.ts';

let at: Workspace;
let stage: TestStage;
let told: string[];
openForEach((opened) => ({ at } = opened));

beforeEach(() => {
  stage = new TestStage(at);
  stage.settings = {
    ...stage.settings,
    tool: 'add',
    strength: 1,
    limit: 4,
    receiver: 'others',
    depth: 'surface',
  };
  told = [];
  at.document.notify = (sentence) => void told.push(sentence);
});

/** A stroke along the front of the tube, between two places of its length. */
function stroke(from: number, to: number, more: Partial<PointerEvent> = {}): void {
  const [first, last] = [from, to].map((x) => stage.spotOf(x, 0, 0.4));
  const hit = stage.sight.pick(first.x, first.y);
  if (!hit) throw new Error('The stroke began beside the body.');
  const gesture = strokeGesture(stage.context, hit, first, pointer(more));
  const middle = { x: (first.x + last.x) / 2, y: first.y };
  drag(gesture, [middle, last], more);
}

const weight = (point: number, joint: number): number =>
  weightOf(at.scene.parts[BODY].skin.rows, point, joint);
/** The point at the front of the tube, where a ring is. */
const front = (ring: number): number => ring * 8 + 2;
const hasMore = (joint: number): number[] =>
  Array.from({ length: 25 }, (_, ring) => ring).filter((ring) => weight(front(ring), joint) > 0.99);

describe('the surface under the brush', () => {
  /** Strokes to and fro along the left arm, which is bent forward, that take it from the arm: how much they took. */
  function straighten(holdSurface: boolean): number {
    const weights = { receiver: 'joint', receiverJoint: CHEST, strength: 0.35 } as const;
    stage.settings = { ...stage.settings, ...weights, tool: 'take', holdSurface };
    at.scene.chooseJoint(ARM_L);
    at.scene.setPose(turned({ [ARM_L]: ['y', -60] }));
    const { positions } = at.scene.parts[BODY].skin;
    const ring = (n: number) => {
      const p = front(n) * 3;
      return stage.spotOf(positions[p], positions[p + 1], positions[p + 2]);
    };
    const [first, last] = [ring(17), ring(20)];
    const hit = stage.sight.pick(first.x, first.y);
    if (!hit) throw new Error('The stroke began beside the arm.');
    const sum = (): number => [17, 18, 19, 20].reduce((total, n) => total + weight(front(n), ARM_L), 0);
    const before = sum();
    drag(strokeGesture(stage.context, hit, first, pointer({})), [last, first, last, first, last, first]);
    return before - sum();
  }

  let held = 0;
  test('stays where it was while it is cured, to the end of the stroke', () => {
    held = straighten(true);
    const body = at.scene.parts[BODY];
    expect(stage.sight.surfaceOf(body)).toBe(body.skin);
  });

  test('else it goes from under the brush, which reaches less of it', () => {
    expect(straighten(false)).toBeLessThan(0.8 * held);
  });
});

describe('a stroke', () => {
  test('gives weight along its way and nowhere else; it is one edit, named by tool and joint', () => {
    at.scene.chooseJoint(CHEST);
    const before = weightsOf(at);
    stroke(1, 2);
    const rings = hasMore(CHEST);
    for (const ring of [16, 18, 20]) expect(rings).toContain(ring);
    expect(weight(front(4), CHEST)).toBe(0);
    const { rows } = at.scene.parts[BODY].skin;
    for (let p = 0; p < rows.pointCount; p++) expect(rowSum(rows, p)).toBeCloseTo(1, 5);
    expect(doneLabels(at)).toEqual(['Add, chest']);
    expect(at.document.writer.holder).toBeUndefined();
    return at.document.undo().then(() => expect(weightsOf(at)).toEqual(before));
  });

  test('does not depend on how fast the pointer goes: one long move is filled with dabs', () => {
    at.scene.chooseJoint(CHEST);
    stage.radius = 0.3;
    const first = stage.spotOf(-2, 0, 0.4);
    const hit = stage.sight.pick(first.x, first.y);
    if (!hit) throw new Error('The stroke began beside the body.');
    drag(strokeGesture(stage.context, hit, first, pointer()), [stage.spotOf(2, 0, 0.4)]);
    for (let ring = 4; ring <= 20; ring++) expect(weight(front(ring), CHEST)).toBeGreaterThan(0.5);
  });

  test('is named by the tool and the joint with which it began', () => {
    at.scene.chooseJoint(CHEST);
    const first = stage.spotOf(1, 0, 0.4);
    const hit = stage.sight.pick(first.x, first.y);
    const gesture = hit && strokeGesture(stage.context, hit, first, pointer());
    // A key in the middle of it takes another tool and another joint.
    stage.settings = { ...stage.settings, tool: 'take' };
    at.scene.chooseJoint(HAND_L);
    drag(gesture, [stage.spotOf(1.5, 0, 0.4)]);
    expect(doneLabels(at)).toEqual(['Add, chest']);
  });

  test('pressed more lightly a pen gives less, where pressure is strength', () => {
    stage.settings = { ...stage.settings, penPressure: 'strength', strength: 0.5 };
    at.scene.chooseJoint(CHEST);
    stroke(2, 2.01, { pointerType: 'pen', pressure: 0.2 });
    const light = weight(front(20), CHEST);
    stroke(-2, -2.01, { pointerType: 'pen', pressure: 0.9 });
    expect(light).toBeGreaterThan(0);
    expect(weight(front(4), CHEST)).toBeGreaterThan(light * 2);
  });

  test('without a joint, and on a locked one, it does not begin and says why', () => {
    const first = stage.spotOf(1, 0, 0.4);
    const hit = stage.sight.pick(first.x, first.y);
    if (!hit) throw new Error('The stroke began beside the body.');
    expect(strokeGesture(stage.context, hit, first, pointer())).toBeUndefined();
    expect(told).toEqual(['Choose a joint first: in the roster, or by clicking its bone.']);
    at.scene.chooseJoint(ARM_L);
    setLocked(at.document, ARM_L, true);
    expect(strokeGesture(stage.context, hit, first, pointer())).toBeUndefined();
    expect(told[1]).toMatch(/locked/);
    expect(at.document.writer.holder).toBeUndefined();
  });

  test('what locked joints hold is not taken, and it is told how many points got less', () => {
    setLocked(at.document, HAND_L, true);
    const before = Array.from({ length: 200 }, (_, p) => weight(p, HAND_L));
    at.scene.chooseJoint(CHEST);
    stroke(1.7, 2.4);
    expect(Array.from({ length: 200 }, (_, p) => weight(p, HAND_L))).toEqual(before);
    expect(told.join(' ')).toMatch(/points got less: locked joints hold the rest/);
  });

  test('another one cannot begin meanwhile', () => {
    at.scene.chooseJoint(CHEST);
    const first = stage.spotOf(1, 0, 0.4);
    const hit = stage.sight.pick(first.x, first.y);
    if (!hit) throw new Error('The stroke began beside the body.');
    const one = strokeGesture(stage.context, hit, first, pointer());
    expect(strokeGesture(stage.context, hit, first, pointer())).toBeUndefined();
    expect(told[0]).toMatch(/A stroke is under way/);
    one?.end(first, pointer());
    expect(doneLabels(at)).toHaveLength(1);
  });

  test('hidden points are not painted', () => {
    at.scene.chooseJoint(CHEST);
    at.scene.visibility.hide(new Map([[BODY, Uint32Array.of(front(18))]]));
    stroke(1, 2);
    expect(weight(front(18), CHEST)).toBe(0);
    expect(weight(front(17), CHEST)).toBeGreaterThan(0.9);
  });

  test('a selection is a mask', () => {
    at.scene.chooseJoint(CHEST);
    at.scene.selection.choosePoints(new Map([[BODY, Uint32Array.of(front(18))]]), 'replace');
    stroke(1, 2);
    expect(weight(front(18), CHEST)).toBeGreaterThan(0.9);
    expect(weight(front(20), CHEST)).toBe(0);
  });
});

describe('a gradient', () => {
  const lay = async (from: number, to: number): Promise<void> => {
    const [first, last] = [from, to].map((x) => stage.spotOf(x, 0, 0.4));
    const hit = stage.sight.pick(first.x, first.y);
    if (!hit) throw new Error('It began beside the body.');
    drag(gradientGesture(stage.context, hit, first), [last]);
    await until('it is kept', () => doneLabels(at).length > 0);
  };

  test('goes from all to none between its two ends, evenly where it is linear', async () => {
    at.scene.chooseJoint(CHEST);
    stage.settings = { ...stage.settings, falloff: 'linear', gradient: 'linear' };
    await lay(1, 2);
    expect(doneLabels(at)).toEqual(['Gradient, chest']);
    expect(weight(front(16), CHEST)).toBeCloseTo(1, 2);
    expect(weight(front(18), CHEST)).toBeCloseTo(0.5, 1);
    expect(weight(front(20), CHEST)).toBeCloseTo(0, 2);
    expect(stage.outlines.at(-1)).toBeUndefined();
  });

  test('of a moving pointer only the last is kept, as one edit', async () => {
    at.scene.chooseJoint(CHEST);
    stage.settings = { ...stage.settings, falloff: 'linear', gradient: 'linear' };
    const first = stage.spotOf(1, 0, 0.4);
    const hit = stage.sight.pick(first.x, first.y);
    if (!hit) throw new Error('It began beside the body.');
    drag(
      gradientGesture(stage.context, hit, first),
      [1.2, 1.5, 2.5, 2].map((x) => stage.spotOf(x, 0, 0.4)),
    );
    await until('it is kept', () => doneLabels(at).length > 0);
    expect(doneLabels(at)).toHaveLength(1);
    expect(weight(front(18), CHEST)).toBeCloseTo(0.5, 1);
  });
});
