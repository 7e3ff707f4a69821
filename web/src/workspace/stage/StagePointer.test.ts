import { beforeEach, describe, expect, test } from '@jest/globals';
import { weightOf } from '@judoka/core/weights';
import type { Hover } from '../../scene/gesture.ts';
import type { StageView } from '../../scene/StageView.ts';
import type { Spot } from '../../scene/spot.ts';
import { TestStage } from '../../testing/testStage.ts';
import { ARM_L, BODY, CHEST, doneLabels, HAND_L, openForEach, until } from '../../testing/testWorkspace.ts';
import type { Workspace } from '../Workspace.ts';
import { StagePointer } from './StagePointer.ts';

let at: Workspace;
let stage: TestStage;
let canvas: EventTarget & { captured: number | undefined };
let pressed: StagePointer;
/** The bone that lies under the pointer; -1 for none. */
let bone = -1;
const picked: number[] = [];
openForEach((opened) => ({ at } = opened));

beforeEach(() => {
  stage = new TestStage(at);
  bone = -1;
  picked.length = 0;
  canvas = Object.assign(new EventTarget(), {
    captured: undefined as number | undefined,
    focus: () => undefined,
    setPointerCapture(id: number) {
      canvas.captured = id;
    },
    hasPointerCapture: (id: number) => canvas.captured === id,
    releasePointerCapture() {
      canvas.captured = undefined;
    },
  });
  const view = Object.assign(stage.context.view, {
    canvas,
    skeleton: { pick: () => bone },
  }) as unknown as StageView;
  pressed = new StagePointer(view, at, { ...stage.context.callbacks, picked: (value) => picked.push(value) });
});

const send = (type: string, { x, y }: Spot, more: Partial<PointerEvent> = {}): void => {
  const event = Object.assign(new Event(type), {
    pressure: 0.5,
    shiftKey: false,
    altKey: false,
    ctrlKey: false,
    button: 0,
    buttons: type === 'pointermove' ? 1 : 0,
    pointerId: 1,
    clientX: x,
    clientY: y,
    getCoalescedEvents: () => [],
    ...more,
  });
  canvas.dispatchEvent(event);
};
const onBody = (x: number): Spot => stage.spotOf(x, 0, 0.4);
const click = (spot: Spot, more: Partial<PointerEvent> = {}): void => {
  send('pointerdown', spot, more);
  send('pointerup', spot, more);
};
const weight = (point: number, joint: number): number =>
  weightOf(at.scene.parts[BODY].skin.rows, point, joint);
const take = (tool: TestStage['settings']['tool']): void => {
  stage.settings = { ...stage.settings, tool, strength: 1, limit: 4, receiver: 'others', depth: 'surface' };
};

describe('a press', () => {
  test('with a brush paints, from down to up, and holds the pointer meanwhile', () => {
    take('add');
    at.scene.chooseJoint(CHEST);
    send('pointerdown', onBody(1));
    expect(canvas.captured).toBe(1);
    expect(at.document.writer.holder).toBe('A stroke');
    send('pointermove', onBody(1.5));
    send('pointerup', onBody(1.5));
    expect(canvas.captured).toBeUndefined();
    expect(doneLabels(at)).toEqual(['Add, chest']);
  });

  test('of another button, or a second one during a stroke, begins nothing', () => {
    take('add');
    at.scene.chooseJoint(CHEST);
    send('pointerdown', onBody(1), { button: 2 });
    expect(at.document.writer.holder).toBeUndefined();
    send('pointerdown', onBody(1));
    send('pointerdown', onBody(1.2));
    send('pointerup', onBody(1.2));
    expect(doneLabels(at)).toHaveLength(1);
  });

  test('that the browser takes away ends the stroke as it is', () => {
    take('add');
    at.scene.chooseJoint(CHEST);
    send('pointerdown', onBody(1));
    send('pointercancel', onBody(1));
    expect(at.document.writer.holder).toBeUndefined();
    expect(doneLabels(at)).toEqual(['Add, chest']);
  });

  test('below the stage, where the bend strip is, is not the stage’s', () => {
    take('add');
    at.scene.chooseJoint(CHEST);
    click({ x: 400, y: 700 });
    expect(doneLabels(at)).toEqual([]);
  });

  test('beside the body chooses the bone that is there', () => {
    take('add');
    bone = HAND_L;
    click({ x: 400, y: 20 });
    expect(at.scene.joint).toBe(HAND_L);
    bone = -1;
    click({ x: 400, y: 20 });
    expect(at.scene.joint).toBe(HAND_L);
  });

  test('with Ctrl chooses a bone with any brush, and paints nothing', () => {
    take('add');
    bone = ARM_L;
    click(onBody(1), { ctrlKey: true });
    expect(at.scene.joint).toBe(ARM_L);
    expect(doneLabels(at)).toEqual([]);
  });
});

describe('picking from the surface', () => {
  test('Alt takes the chosen joint’s weight for Set to', () => {
    take('set');
    at.scene.chooseJoint(ARM_L);
    click(onBody(1), { altKey: true });
    expect(picked).toEqual([0.5]);
    expect(doneLabels(at)).toEqual([]);
  });

  test('Alt and Shift hold all weights of the point, to be pasted', () => {
    take('set');
    click(onBody(1), { altKey: true, shiftKey: true });
    expect(at.clipboard.row.map(({ joint }) => joint).sort()).toEqual([CHEST, ARM_L]);
  });
});

describe('bindings by hand', () => {
  test('a click with the tying tool gives the island to the chosen joint', async () => {
    take('tie');
    at.scene.chooseJoint(CHEST);
    click(onBody(1.5));
    await until('it is tied', () => doneLabels(at).length > 0);
    for (let p = 0; p < 200; p++) expect(weight(p, CHEST)).toBe(1);
  });

  test('a click on a bone with blocks in hand gives it the selection, and lets go of it', async () => {
    take('block');
    at.scene.selection.choosePoints(new Map([[BODY, Uint32Array.of(150, 151)]]), 'replace');
    bone = HAND_L;
    click({ x: 400, y: 20 });
    await until('it is given', () => at.scene.selection.count === 0);
    expect(weight(150, HAND_L)).toBe(1);
    expect(doneLabels(at)).toEqual(['Give 2 points to hand_L']);
  });
});

describe('sizing the brush', () => {
  test('while its key is held a drag says how far it goes, and nothing is painted', () => {
    take('add');
    at.scene.chooseJoint(CHEST);
    const sizes: [number, number][] = [];
    Object.assign(stage.context.callbacks, { sizing: (dx: number, dy: number) => sizes.push([dx, dy]) });
    const view = stage.context.view;
    const held = new StagePointer(view, at, stage.context.callbacks);
    pressed.dispose();
    held.sizing = true;
    send('pointerdown', { x: 100, y: 100 });
    send('pointermove', { x: 110, y: 95 });
    send('pointermove', { x: 115, y: 95 });
    send('pointerup', { x: 115, y: 95 });
    expect(sizes).toEqual([
      [10, -5],
      [5, 0],
    ]);
    expect(doneLabels(at)).toEqual([]);
  });
});

test('what lies under a resting pointer is told anew when the camera has moved, and gone with the pointer', async () => {
  const told: (number | undefined)[] = [];
  Object.assign(stage.context.callbacks, { hover: (hover?: Hover) => told.push(hover?.hit.point) });
  pressed.dispose();
  pressed = new StagePointer(stage.context.view, at, stage.context.callbacks);
  send('pointermove', onBody(1), { buttons: 0 });
  expect(told.at(-1)).toBeGreaterThanOrEqual(0);
  const before = told.at(-1);
  // The camera goes on by a handbreadth along the arm.
  stage.camera.position.x += 0.5;
  stage.camera.updateMatrixWorld();
  stage.looked();
  expect(told.at(-1)).toBeUndefined();
  await until('it is told anew', () => told.at(-1) !== undefined);
  expect(told.at(-1)).not.toBe(before);
  send('pointerleave', onBody(1));
  const count = told.length;
  stage.looked();
  expect(told.slice(count)).toEqual([]);
});

test('disposed, it hears nothing', () => {
  take('add');
  at.scene.chooseJoint(CHEST);
  pressed.dispose();
  click(onBody(1));
  expect(doneLabels(at)).toEqual([]);
});
