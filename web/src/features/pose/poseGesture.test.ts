import { beforeEach, describe, expect, test } from '@jest/globals';
import { rotationFromAngles } from '@judoka/core/skeleton';
import { drag, TestStage } from '../../testing/testStage.ts';
import { ARM_L, ARM_R, doneLabels, HAND_L, HAND_R, openForEach } from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { placeGesture } from '../joints/placeGesture.ts';
import { poseGesture } from './poseGesture.ts';

let at: Workspace;
let stage: TestStage;
openForEach((opened) => ({ at } = opened));
beforeEach(() => {
  stage = new TestStage(at);
  at.scene.chooseJoint(ARM_L);
});

describe('turning a joint', () => {
  /** The ring about the axis of sight, taken at its right and dragged up. */
  const turn = (pixels: number, ctrlKey = false): void => {
    stage.handles.mode = 'turn';
    stage.placeHandles();
    const { x, y } = stage.spotOf(1, 0, 0);
    drag(poseGesture(stage.context, 'z', { x: x + 62, y }), [{ x: x + 62, y: y - pixels }], { ctrlKey });
    at.document.settle();
  };
  const degrees = (): number => (2 * Math.asin(at.scene.pose[ARM_L].rotation[2]) * 180) / Math.PI;

  test('as far as the ring’s radius is one radian; the label names the joint; what it says ends with it', () => {
    turn(62);
    expect(Math.abs(degrees() - 57.3)).toBeLessThan(2);
    expect(doneLabels(at)).toEqual(['Pose arm_L']);
    expect(stage.said[0]).toMatch(/^z [\d.]+°$/);
    expect(stage.said.at(-1)).toBe('');
  });

  test('with Ctrl it goes in steps of five degrees', () => {
    turn(37, true);
    expect(degrees() / 5).toBeCloseTo(Math.round(degrees() / 5), 4);
  });

  test('a second drag of the same handle at once goes on from where it was, and is the same edit', () => {
    turn(31);
    const first = degrees();
    turn(31);
    expect(degrees()).toBeGreaterThan(first + 15);
    expect(doneLabels(at)).toHaveLength(1);
  });

  test('undone, the joint rests again', async () => {
    turn(62);
    await at.document.undo();
    expect(at.scene.pose[ARM_L]).toBeUndefined();
  });
});

test('moving goes along the axis that was taken, as far as the pointer', () => {
  stage.handles.mode = 'move';
  stage.placeHandles();
  const from = stage.spotOf(1, 0, 0);
  const to = stage.spotOf(1.5, 0, 0);
  drag(poseGesture(stage.context, 'x', from), [{ x: to.x, y: to.y + 30 }]);
  expect(at.scene.pose[ARM_L].translation[0]).toBeCloseTo(0.5, 2);
  expect(at.scene.pose[ARM_L].translation[1]).toBeCloseTo(0, 4);
});

test('moving below a turned joint goes where the pointer goes, not where the joint’s axes point', () => {
  at.scene.setPose({
    [ARM_L]: { rotation: rotationFromAngles([0, 0, 90]), translation: [0, 0, 0], scale: [1, 1, 1] },
  });
  at.scene.chooseJoint(HAND_L);
  stage.handles.mode = 'move';
  stage.placeHandles();
  const [x, y, z] = at.scene.world.subarray(HAND_L * 16 + 12, HAND_L * 16 + 15);
  const from = stage.spotOf(x, y, z);
  const to = stage.spotOf(x + 0.4, y, z);
  drag(poseGesture(stage.context, 'free', from), [to]);
  const now = at.scene.world.subarray(HAND_L * 16 + 12, HAND_L * 16 + 15);
  expect(now[0]).toBeCloseTo(x + 0.4, 2);
  expect(now[1]).toBeCloseTo(y, 2);
});

test('scaling by the bar grows one axis alone', () => {
  stage.handles.mode = 'scale';
  stage.placeHandles();
  const { x, y } = stage.spotOf(1, 0, 0);
  drag(poseGesture(stage.context, 'x', { x: x + 62, y }), [{ x: x + 124, y }]);
  const [sx, sy, sz] = at.scene.pose[ARM_L].scale;
  expect(sx).toBeGreaterThan(1.5);
  expect([sy, sz]).toEqual([1, 1]);
});

describe('placing a joint at rest', () => {
  const place = (toX: number, toY: number): void => {
    stage.handles.mode = 'move';
    stage.placeHandles(true);
    drag(placeGesture(stage.context, ARM_L, 'free', stage.spotOf(1, 0, 0)), [stage.spotOf(toX, toY, 0)]);
  };

  test('takes it with the pointer, its partner mirrored; the surface stays; one edit', async () => {
    stage.settings = { ...stage.settings, placeMirrored: true, childrenStay: true, placeInside: false };
    const surface = [...at.scene.parts[0].skin.positions];
    place(1.3, 0.2);
    const [x, y] = at.document.restPlace(ARM_L);
    expect(x).toBeCloseTo(1.3, 2);
    expect(y).toBeCloseTo(0.2, 2);
    expect(at.document.restPlace(ARM_R)[0]).toBeCloseTo(-1.3, 2);
    expect(at.document.restPlace(HAND_L)[0]).toBeCloseTo(2, 5);
    at.scene.parts[0].skin.positions.forEach((p, i) => expect(p).toBeCloseTo(surface[i], 4));
    expect(doneLabels(at)).toEqual(['Place arm_L']);
    await at.document.undo();
    expect(at.document.restPlace(ARM_L)[0]).toBeCloseTo(1, 5);
    expect(at.document.restPlace(ARM_R)[0]).toBeCloseTo(-1, 5);
  });

  test('alone, and with what hangs below it', () => {
    stage.settings = { ...stage.settings, placeMirrored: false, childrenStay: false, placeInside: false };
    place(1.3, 0.2);
    expect(at.document.restPlace(ARM_R)[0]).toBeCloseTo(-1, 5);
    expect(at.document.restPlace(HAND_L)[0]).toBeCloseTo(2.3, 2);
    expect(at.document.restPlace(HAND_R)[0]).toBeCloseTo(-2, 5);
  });

  test('in the middle of the body under the pointer', () => {
    stage.settings = { ...stage.settings, placeMirrored: false, childrenStay: true, placeInside: true };
    place(1.4, 0.25);
    // Half way through a tube of radius 0.4 whose axis is at no height and no depth.
    expect(at.document.restPlace(ARM_L)[2]).toBeCloseTo(0, 1);
    expect(at.document.restPlace(ARM_L)[0]).toBeCloseTo(1.4, 1);
  });

  test('a press that moves nothing leaves no trace', () => {
    stage.handles.mode = 'move';
    stage.placeHandles(true);
    const spot = stage.spotOf(1, 0, 0);
    placeGesture(stage.context, ARM_L, 'free', spot).end(spot, {} as PointerEvent);
    expect(doneLabels(at)).toEqual([]);
    expect(at.jointPlacement.active).toBe(false);
    expect(at.document.writer.holder).toBeUndefined();
  });
});
