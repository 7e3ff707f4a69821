import type { Crossing } from '@judoka/core/analysis/crossings';
import { type MotionRange, type RangePose, rangePoses } from '@judoka/core/animation';
import type { CharacterLook } from '@judoka/core/deform';
import type { Pose } from '@judoka/core/skeleton';
import type { TrialThreads } from '../document/TrialThreads.ts';

/** How two parts cross in each of several poses, as they are shown or in another look. */
export async function crossAll(
  threads: TrialThreads,
  pair: readonly [number, number],
  poses: readonly Pose[],
  look?: CharacterLook,
): Promise<Crossing[]> {
  const runner = await threads.short();
  const question = threads.question();
  return runner.crossings(look ? { ...question, look } : question, pair, poses);
}

/** One in three of the poses of ranges: there are many, and next to each other they are much alike. */
export const sparePoses = (ranges: readonly MotionRange[]): { range: MotionRange; pose: RangePose }[] =>
  ranges.flatMap((range) =>
    rangePoses(range)
      .filter((_, i) => i % 3 === 0)
      .map((pose) => ({ range, pose })),
  );
