import { expect, test } from '@jest/globals';
import { boundBox, boundPositions, boxAround, characterSize, longestSide } from './boundSpace.ts';

/** A part whose file is in centimetres, and lies on its side: a hundredth in size, y and z exchanged, one up. */
const part = {
  positions: Float32Array.of(0, 0, 0, 100, 0, 0, 0, 0, 300),
  inverseBinds: Float32Array.of(
    ...Array.from({ length: 16 }, () => 7),
    ...[0.01, 0, 0, 0, 0, 0, 0.01, 0, 0, 0.01, 0, 0, 0, 1, 0, 1],
  ),
};

test('points are placed by the last of the inverse binds, whatever the joints say', () => {
  expect([...boundPositions(part)].map((x) => Math.round(x * 1e4) / 1e4)).toEqual([
    0, 1, 0, 1, 1, 0, 0, 4, 0,
  ]);
});

test('a character is as large as it stands, not as its file counts', () => {
  expect(characterSize([part])).toBeCloseTo(3, 5);
  expect(boundBox([part]).least).toEqual([0, 1, 0]);
});

test('nothing has no size', () => {
  expect(characterSize([])).toBe(0);
  expect(longestSide(boxAround([new Float32Array(0)]))).toBe(0);
});
