import { expect, test } from '@jest/globals';
import { STILL_ANGLES } from '../../animation/motionRange.ts';
import type { BendFigures } from './bendFigures.ts';
import { rangeFigures } from './rangeFigures.ts';
import { rankBends, worstPose, type JointTrial } from './trial.ts';

const figures = (some: Partial<BendFigures>): BendFigures => ({
  stretch: 0,
  squeeze: 0,
  areaLeast: 1,
  areaMost: 1,
  folded: 0,
  volume: undefined,
  noVolume: undefined,
  crossings: 0,
  damage: 0,
  worst: undefined,
  stretched: undefined,
  ...some,
});
const joint = (number: number, ...poses: Partial<BendFigures>[]): JointTrial => ({
  joint: number,
  poses: poses.map((some) => ({ at: { angles: STILL_ANGLES }, figures: figures(some) })),
});

test('bends are ranked by how far they stretch, or by how much is hurt; of equals the first', () => {
  const small = joint(4, { damage: 1, stretch: 35 }, { damage: 2, stretch: 0.5 });
  const large = joint(9, { damage: 5, stretch: 2 }, { damage: 5, stretch: 2 });
  const alike = joint(11, { damage: 5, stretch: 2 });
  const numbers = (trials: readonly JointTrial[]): number[] => trials.map((trial) => trial.joint);
  expect(numbers(rankBends([alike, large, small], 'stretch'))).toEqual([4, 9, 11]);
  expect(numbers(rankBends([small, alike, large], 'damage'))).toEqual([9, 11, 4]);
  expect([worstPose(small, 'stretch'), worstPose(small, 'damage'), worstPose(large, 'damage')]).toEqual([
    0, 1, 0,
  ]);
});

test('each joint counts by its worst bend, folds by the bend that has most', () => {
  const found = rangeFigures([
    joint(4, { damage: 1, folded: 7, stretch: 0.5 }, { damage: 3, folded: 2, volume: -0.25 }),
    joint(9, { damage: 5, volume: 0.1, stretch: 2 }),
    joint(11, { damage: 0 }),
  ]);
  expect(found).toEqual({ joints: 3, strain: 8, worst: 9, stretch: 2, volumeLost: 0.125, folded: 7 });
});

test('where nothing bends there is nothing to tell', () => {
  expect(rangeFigures([])).toEqual({
    joints: 0,
    strain: 0,
    worst: undefined,
    stretch: 0,
    volumeLost: 0,
    folded: 0,
  });
});
