import type { CheckInput } from '../../document/checkInput.ts';
import type { Finding, FindingCode } from '../../document/finding.ts';
import { unitFactor } from '../../document/space/unitFactor.ts';
import { applyScale } from '../../skeleton/applyScale.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { nameJoints, scaleSkeleton } from '../../skeleton/editSkeleton.ts';
import {
  applySkeletonChange,
  composeSkeletonChanges,
  type SkeletonChange,
} from '../../skeleton/skeletonChange.ts';

/** Findings whose repair changes joints, not weights. */
export const SKELETON_REPAIRS = [
  'skeleton-units',
  'joint-name-double',
  'joint-name-missing',
  'scaled-transform',
] as const;
export type SkeletonRepair = (typeof SKELETON_REPAIRS)[number];

export const isSkeletonRepair = (code: FindingCode): code is SkeletonRepair =>
  (SKELETON_REPAIRS as readonly string[]).includes(code);

/**
 * Repairs joints, as one change; points and weights stay.
 *
 * - `joint-name-missing`, `joint-name-double`: see {@link nameJoints}.
 * - `skeleton-units`: every length times the factor between the units.
 * - `scaled-transform`: see {@link applyScale}.
 */
export function repairSkeleton(input: CheckInput, findings: readonly Finding[]): SkeletonChange {
  const codes = new Set(findings.map(({ code }) => code));
  const named = nameJoints(input.skeleton, {
    missing: codes.has('joint-name-missing'),
    double: codes.has('joint-name-double'),
  });
  const steps: ((skeleton: Skeleton) => SkeletonChange)[] = [
    ...(codes.has('skeleton-units') ? [(each: Skeleton) => scaleSkeleton(each, unitFactor(input))] : []),
    ...(codes.has('scaled-transform') ? [applyScale] : []),
  ];
  return steps.reduce(
    (done, step) => composeSkeletonChanges(done, step(applySkeletonChange(input.skeleton, done))),
    named,
  );
}
