import type { Change } from '../weights/delta.ts';
import { compose, invert, isEmpty } from '../weights/delta.ts';
import {
  composeSkeletonChanges,
  invertSkeletonChange,
  type SkeletonChange,
} from '../skeleton/skeletonChange.ts';
import { composeValues, invertValues, type ValueChange } from './values.ts';

/**
 * A reversible change of a document, as plain data: to weights by deltas, to joints by setups, to everything else by
 * paths. Joints change first, so that weights may name joints that the same edit adds.
 */
export interface Edit {
  readonly weights: Change;
  readonly joints: SkeletonChange;
  readonly values: ValueChange;
}

export const EMPTY_EDIT: Edit = { weights: [], joints: [], values: [] };

/** An edit out of some of its three kinds of change. */
export const editOf = (some: Partial<Edit>): Edit => ({ ...EMPTY_EDIT, ...some });

export function isEmptyEdit({ weights, joints, values }: Edit): boolean {
  return isEmpty(weights) && joints.every(({ before, after }) => !before && !after) && values.length === 0;
}

/** The edit that takes `edit` back. */
export function invertEdit({ weights, joints, values }: Edit): Edit {
  return { weights: invert(weights), joints: invertSkeletonChange(joints), values: invertValues(values) };
}

/**
 * One edit that does what `first` and then `second` do.
 * @throws CoreError delta-mismatch if `second` does not start where `first` ends
 */
export function composeEdits(first: Edit, second: Edit): Edit {
  return {
    weights: compose(first.weights, second.weights),
    joints: composeSkeletonChanges(first.joints, second.joints),
    values: composeValues(first.values, second.values),
  };
}
