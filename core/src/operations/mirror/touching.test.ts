import { asBound } from '../../document/space/boundSpace.ts';
import { expect, test } from '@jest/globals';
import { findTouching } from './touching.ts';

test('points of another island that are near touch; those of the own never do', () => {
  // Two quads side by side with a gap of 0.01 at x = 1, the second a little higher; and a third, far off.
  const quad = (x: number, y: number): number[] => [x, y, 0, x + 1, y, 0, x + 1, y + 1, 0, x, y + 1, 0];
  const positions = asBound(Float32Array.from([...quad(0, 0), ...quad(1.01, 0.004), ...quad(5, 0)]));
  const surface = {
    positions,
    offsets: Uint32Array.of(0, 4, 8, 12),
    corners: Uint32Array.from({ length: 12 }, (_, i) => i),
  };
  expect([...findTouching(surface, 0.02)]).toEqual([-1, 4, 7, -1, 1, -1, -1, 2, -1, -1, -1, -1]);
  expect([...findTouching(surface, 0.005)].every((other) => other < 0)).toBe(true);
});
