import { expect, test } from '@jest/globals';
import type { ScenePart } from './ScenePart.ts';
import { type BrushMove, movesOf } from './brushMoves.ts';

/** Three points in a row along x, the middle one lifted; all face up. */
const part = {
  skin: {
    positions: Float32Array.of(-1, 0, 0, 0, 0, 1, 1, 0, 0),
    normals: Float32Array.of(0, 0, 1, 0, 0, 1, 0, 0, 1),
  },
  paint: { neighbours: { offsets: Uint32Array.of(0, 1, 3, 4), points: Uint32Array.of(1, 0, 2, 1) } },
} as unknown as ScenePart;
const dab = { points: Uint32Array.of(1, 2), count: 2, amounts: Float32Array.of(1, 0.5) };
const moves = (mode: BrushMove): number[] => [...movesOf(mode, part, dab, 1, [0, 0, 0], 2)].map((x) => x + 0);

test('out and in go along the normals, by the falloff, either way', () => {
  const out = moves('out');
  expect(out[2]).toBeGreaterThan(0);
  expect(out).toEqual([0, 0, out[2], 0, 0, out[2] / 2]);
  expect(moves('in')).toEqual(out.map((x) => 0 - x + 0));
});

test('even goes toward the middle of the neighbours', () => {
  expect(moves('even')).toEqual([0, 0, -1, -0.5, 0, 0.5]);
});

test('pinch goes toward the middle of the dab, along the surface', () => {
  const [x, y, z, farX, farY, farZ] = moves('pinch');
  expect([x, y, z, farY, farZ]).toEqual([0, 0, 0, 0, 0]);
  expect(farX).toBeLessThan(0);
  expect(farX).toBeGreaterThan(-1);
});

test('flatten goes onto the plane through the middle of the dab, along its normal', () => {
  // The two points stand at heights 1 and 0, with shares 1 and 1/2: their plane is at 2/3.
  const [, , first, , , second] = moves('flatten');
  expect(first).toBeCloseTo(-1 / 3, 6);
  expect(second).toBeCloseTo(0.5 * (2 / 3), 6);
});
