import { expect, test } from '@jest/globals';
import { drawPicture } from './drawPicture.ts';

const square = (z: number, size: number, normal: [number, number, number] = [0, 0, 1]) => ({
  positions: Float32Array.from([-size, -size, z, size, -size, z, size, size, z, -size, size, z]),
  normals: Float32Array.from([normal, normal, normal, normal].flat()),
  triangles: Uint32Array.from([0, 1, 2, 0, 2, 3]),
});

const pixel = ({ width, pixels }: ReturnType<typeof drawPicture>, x: number, y: number): number[] => [
  ...pixels.subarray((y * width + x) * 4, (y * width + x) * 4 + 4),
];

test('fills the picture but for a margin, on a clear ground', () => {
  const picture = drawPicture([square(0, 1)], 40, 40, 0);
  expect(pixel(picture, 20, 20)[3]).toBe(255);
  expect(pixel(picture, 0, 0)[3]).toBe(0);
  expect(pixel(picture, 20, 1)[3]).toBe(0);
});

test('what is nearer covers what is behind it', () => {
  const lit: [number, number, number] = [0.4, 0.7, 0.6];
  const dark: [number, number, number] = [-0.4, -0.7, -0.6];
  const front = drawPicture([square(0.1, 1, lit), square(-0.1, 1, dark)], 20, 20, 0);
  const same = drawPicture([square(-0.1, 1, dark), square(0.1, 1, lit)], 20, 20, 0);
  expect(pixel(front, 10, 10)).toEqual(pixel(same, 10, 10));
  expect(pixel(front, 10, 10)[0]).toBeGreaterThan(200);
});

test('nothing to draw gives a clear picture, and a flat or broken mesh no crash', () => {
  expect(drawPicture([], 8, 8).pixels.every((byte) => byte === 0)).toBe(true);
  const line = { ...square(0, 1), positions: new Float32Array(12) };
  expect(drawPicture([line], 8, 8).pixels.every((byte) => byte === 0)).toBe(true);
  const broken = { ...square(0, 1), positions: new Float32Array(12).fill(NaN) };
  expect(() => drawPicture([broken], 8, 8)).not.toThrow();
});
