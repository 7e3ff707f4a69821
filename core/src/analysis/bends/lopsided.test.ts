import { expect, test } from '@jest/globals';
import { STILL_ANGLES } from '../../animation/motionRange.ts';
import type { BendFigures } from './bendFigures.ts';
import { findLopsided } from './lopsided.ts';
import type { JointTrial } from './trial.ts';

const trial = (joint: number, stretch: number, damage: number): JointTrial => ({
  joint,
  poses: [{ at: { angles: STILL_ANGLES }, figures: { stretch, damage } as BendFigures }],
});
/** 1 and 2 are partners, 3 and 4 too; 0 is its own, 5 has none. */
const PARTNER = [0, 2, 1, 4, 3, -1];

test('a bend that is much worse than the other side’s is told, by stretch or by damage', () => {
  const even = [trial(1, 2, 3), trial(2, 2.1, 3.1), trial(3, 0.5, 1), trial(4, 0.5, 1)];
  expect(findLopsided(even, PARTNER)).toEqual([]);
  expect(findLopsided([trial(1, 2, 3), trial(2, 2, 1.5), ...even.slice(2)], PARTNER)).toEqual([1]);
  expect(findLopsided([trial(1, 2, 3), trial(2, 9, 3), ...even.slice(2)], PARTNER)).toEqual([2]);
});

test('joints of the middle, without a partner, or whose difference nobody sees are not', () => {
  const trials = [trial(0, 30, 9), trial(5, 30, 9), trial(1, 0.2, 0.04), trial(2, 0, 0.01)];
  expect(findLopsided(trials, PARTNER)).toEqual([]);
  expect(findLopsided([], PARTNER)).toEqual([]);
});
