import { expect, test } from '@jest/globals';
import { anglesFromRotation, REST_JOINT } from '@judoka/core';
import { PerspectiveCamera } from 'three';
import { TurnHandles } from './TurnHandles.ts';

const SIZE = 600;
const IDENTITY = Float32Array.from([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]);

function lookingAlongZ(): { handles: TurnHandles; camera: PerspectiveCamera } {
  const camera = new PerspectiveCamera(30, 1, 0.1, 100);
  camera.position.set(0, 0, 10);
  camera.updateMatrixWorld();
  const handles = new TurnHandles();
  handles.place(IDENTITY, 0, camera, SIZE);
  return { handles, camera };
}

test('the ring about the axis of sight is a circle of the same size on the screen from near and far', () => {
  const { handles, camera } = lookingAlongZ();
  const right = SIZE / 2 + 62;
  expect(handles.pick(right * 1 - 18, SIZE / 2 + 44, camera, SIZE, SIZE)).toBe('z');
  expect(handles.pick(SIZE / 2 + 20, SIZE / 2 + 30, camera, SIZE, SIZE)).toBeUndefined();
  camera.position.set(0, 0, 40);
  camera.updateMatrixWorld();
  handles.place(IDENTITY, 0, camera, SIZE);
  expect(handles.pick(right - 18, SIZE / 2 + 44, camera, SIZE, SIZE)).toBe('z');
});

test('dragging along the ring turns on; as far as the radius is one radian', () => {
  const { handles, camera } = lookingAlongZ();
  // At the right of the circle, onward along it is up on the screen.
  handles.begin('z', REST_JOINT, SIZE / 2 + 62, SIZE / 2, camera, SIZE, SIZE);
  const pose = handles.drag(SIZE / 2 + 62, SIZE / 2 - 62, false);
  const [x, y, z] = anglesFromRotation(pose?.rotation ?? [0, 0, 0, 1]);
  expect([x, y].map(Math.round).map(Math.abs)).toEqual([0, 0]);
  expect(Math.abs(z - 180 / Math.PI)).toBeLessThan(2);
  expect(handles.degrees).toBeCloseTo(z, 1);
});

test('in steps the turn is a multiple of five degrees, and ends with the drag', () => {
  const { handles, camera } = lookingAlongZ();
  handles.begin('z', REST_JOINT, SIZE / 2 + 62, SIZE / 2, camera, SIZE, SIZE);
  handles.drag(SIZE / 2 + 62, SIZE / 2 - 33, true);
  expect(handles.degrees % 5).toBe(0);
  expect(handles.degrees).toBeGreaterThan(20);
  handles.end();
  expect(handles.drag(0, 0, true)).toBeUndefined();
});
