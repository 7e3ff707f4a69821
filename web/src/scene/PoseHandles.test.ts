import { DAY } from '../ui/theme/tokens.ts';
import { expect, test } from '@jest/globals';
import { PerspectiveCamera, Vector3 } from 'three';
import { PoseHandles, type HandleMode } from './PoseHandles.ts';

const SIZE = 600;
const MIDDLE = SIZE / 2;
const ORIGIN = new Vector3();

function lookingAlongZ(mode: HandleMode): { handles: PoseHandles; camera: PerspectiveCamera } {
  const camera = new PerspectiveCamera(30, 1, 0.1, 100);
  camera.position.set(0, 0, 10);
  camera.updateMatrixWorld();
  const handles = new PoseHandles(DAY);
  handles.mode = mode;
  handles.place(ORIGIN, undefined, camera, SIZE);
  return { handles, camera };
}

/** Scene units that one pixel takes in the plane of the joint. */
const PER_PIXEL = (2 * 10 * Math.tan((15 * Math.PI) / 180)) / SIZE;

test('the ring about the axis of sight is a circle of the same size on the screen from near and far', () => {
  const { handles, camera } = lookingAlongZ('turn');
  const on = { x: MIDDLE + 44, y: MIDDLE + 44 };
  expect(handles.pick(on, SIZE)).toBe('z');
  expect(handles.pick({ x: MIDDLE + 20, y: MIDDLE + 30 }, SIZE)).toBeUndefined();
  camera.position.set(0, 0, 40);
  camera.updateMatrixWorld();
  handles.place(ORIGIN, undefined, camera, SIZE);
  expect(handles.pick(on, SIZE)).toBe('z');
});

test('dragging along the ring turns on; as far as the radius is one radian', () => {
  const { handles } = lookingAlongZ('turn');
  // At the right of the circle, onward along it is up on the screen.
  handles.begin('z', { x: MIDDLE + 62, y: MIDDLE }, SIZE);
  const drag = handles.drag({ x: MIDDLE + 62, y: MIDDLE - 62 }, false);
  if (drag?.kind !== 'turn') throw new Error('It should turn.');
  expect(drag.axis[2]).toBeCloseTo(1, 6);
  expect(Math.abs(drag.degrees - 180 / Math.PI)).toBeLessThan(2);
  expect(handles.degrees).toBe(drag.degrees);
});

test('in steps the turn is a multiple of five degrees, and ends with the drag', () => {
  const { handles } = lookingAlongZ('turn');
  handles.begin('z', { x: MIDDLE + 62, y: MIDDLE }, SIZE);
  handles.drag({ x: MIDDLE + 62, y: MIDDLE - 33 }, true);
  expect(handles.degrees % 5).toBe(0);
  expect(handles.degrees).toBeGreaterThan(20);
  handles.end();
  expect(handles.drag({ x: 0, y: 0 }, true)).toBeUndefined();
});

test('the middle turns as a ball under the pointer does', () => {
  const { handles } = lookingAlongZ('turn');
  expect(handles.pick({ x: MIDDLE + 4, y: MIDDLE + 4 }, SIZE)).toBe('free');
  handles.begin('free', { x: MIDDLE, y: MIDDLE }, SIZE);
  const right = handles.drag({ x: MIDDLE + 31, y: MIDDLE }, false);
  // What faces the eye goes to the right: a turn about the upward axis.
  expect(right).toMatchObject({ kind: 'turn', axis: [0, 1, 0] });
  const down = handles.drag({ x: MIDDLE, y: MIDDLE + 31 }, false);
  expect(down).toMatchObject({ kind: 'turn', axis: [1, 0, 0] });
});

test('moving follows the pointer: along an axis, or in the plane of the picture', () => {
  const { handles } = lookingAlongZ('move');
  expect(handles.pick({ x: MIDDLE + 40, y: MIDDLE }, SIZE)).toBe('x');
  handles.begin('x', { x: MIDDLE + 40, y: MIDDLE }, SIZE);
  const along = handles.drag({ x: MIDDLE + 140, y: MIDDLE + 55 }, false);
  if (along?.kind !== 'move') throw new Error('It should move.');
  expect(along.move[0]).toBeCloseTo(100 * PER_PIXEL, 2);
  expect(along.move[1]).toBeCloseTo(0, 6);
  handles.begin('free', { x: MIDDLE, y: MIDDLE }, SIZE);
  const free = handles.drag({ x: MIDDLE + 30, y: MIDDLE - 20 }, false);
  if (free?.kind !== 'move') throw new Error('It should move.');
  expect(free.move[0]).toBeCloseTo(30 * PER_PIXEL, 3);
  expect(free.move[1]).toBeCloseTo(20 * PER_PIXEL, 3);
});

test('scaling grows along its axis, or all of it, and never to nothing', () => {
  const { handles } = lookingAlongZ('scale');
  handles.begin('y', { x: MIDDLE, y: MIDDLE - 40 }, SIZE);
  const tall = handles.drag({ x: MIDDLE, y: MIDDLE - 102 }, false);
  if (tall?.kind !== 'scale') throw new Error('It should scale.');
  expect(tall.factors[1]).toBeCloseTo(2, 1);
  expect([tall.factors[0], tall.factors[2]]).toEqual([1, 1]);
  handles.begin('free', { x: MIDDLE, y: MIDDLE }, SIZE);
  expect(handles.drag({ x: MIDDLE - 600, y: MIDDLE }, false)).toEqual({
    kind: 'scale',
    factors: [0.05, 0.05, 0.05],
  });
});
