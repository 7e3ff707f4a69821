import { ancestors } from '../skeleton/roles.ts';
import { liveJoints, type Skeleton } from '../skeleton/skeleton.ts';

/**
 * What has to move when a body travels, so that nothing of it stays behind: in each tree of joints the lowest joint that
 * carries all that is to be carried; the hips' tree carries the hips in any case. Rising.
 */
export function carriersOf(
  skeleton: Skeleton,
  hips: number,
  isCarried: (joint: number) => boolean,
): number[] {
  const line = (joint: number): number[] => [joint, ...ancestors(skeleton, joint)];
  const shared = new Map<number, readonly number[]>();
  for (const joint of [hips, ...liveJoints(skeleton).filter(isCarried)]) {
    const own = line(joint);
    const root = own[own.length - 1];
    const held = shared.get(root);
    shared.set(root, held ? held.filter((each) => own.includes(each)) : own);
  }
  return [...shared.values()].map(([lowest]) => lowest).sort((a, b) => a - b);
}
