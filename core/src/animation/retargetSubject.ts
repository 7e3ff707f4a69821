import type { JointPairs } from '../skeleton/pairs.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';

/** The character that a motion is put on. */
export interface RetargetSubject {
  readonly skeleton: Skeleton;
  readonly pairs: JointPairs;
  /** Uint8Array, jointCount: 1 for joints that have weight; those that follow a motion where it is missing. */
  readonly weighted?: Uint8Array;
}
