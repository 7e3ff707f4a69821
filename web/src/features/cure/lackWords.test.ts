import { expect, test } from '@jest/globals';
import { wayWords } from './lackWords.ts';

test('a way is told by its axes, without what hardly counts', () => {
  expect(wayWords([0, 0.012, -0.004])).toBe('12 mm along y and 4 mm along −z');
  expect(wayWords([1.5, 0.01, 0])).toBe('1.5 m along x');
});
