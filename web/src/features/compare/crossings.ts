import type { Crossing } from '@judoka/core/analysis/crossings';
import type { Pose } from '@judoka/core/skeleton';
import type { TrialThreads } from '../../document/TrialThreads.ts';

/** How two parts cross in each of several poses. */
export async function crossAll(
  threads: TrialThreads,
  pair: readonly [number, number],
  poses: readonly Pose[],
): Promise<Crossing[]> {
  const runner = await threads.short();
  return runner.crossings(threads.question(), pair, poses);
}
