import { CoreError } from '../errors.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';
import { applySkeletonChange } from '../skeleton/skeletonChange.ts';
import { apply, checkChange, type Change } from '../weights/delta.ts';
import type { WeightRows } from '../weights/rows.ts';
import type { Edit } from './edit.ts';
import { applyValues, type DocumentValues } from './values.ts';
import { checkAddedPoints, pointCounts, withoutRoom, withRoom } from './pointCounts.ts';

/**
 * Everything that belongs to a character and can be edited. Rows are written in place, unless a part gets points or loses
 * some, or a part is made; the rest is replaced.
 */
export interface DocumentState {
  readonly rows: readonly WeightRows[];
  readonly skeleton: Skeleton;
  readonly values: DocumentValues;
}

/**
 * Does an edit.
 * @returns the document after it; `rows` are the same arrays, written, but of parts that have other points now
 * @throws CoreError as {@link checkEdit} does; nothing is changed then
 */
export function applyEdit(document: DocumentState, edit: Edit): DocumentState {
  const { skeleton, values } = checkEdit(document, edit);
  return { rows: applyWeights(document.rows, edit), skeleton, values };
}

/**
 * The rows after an edit's weights, where others have checked that all of it fits.
 * @returns the same arrays, written, but of parts that have other points now
 * @throws CoreError delta-mismatch; nothing is written then
 */
export function applyWeights(
  rows: readonly WeightRows[],
  { weights, values }: Pick<Edit, 'weights' | 'values'>,
): readonly WeightRows[] {
  const counts = pointCounts(values);
  const room = withRoom(rows, counts);
  apply(room, weights);
  return counts.size === 0 ? rows : withoutRoom(room, counts);
}

/**
 * Whether an edit fits the document that it is for.
 * @returns the skeleton and the values as they would be
 * @throws CoreError `delta-mismatch` if something is not what the edit expects, `argument-invalid` if the result were no
 *         document
 */
export function checkEdit(
  { rows, skeleton, values }: DocumentState,
  edit: Edit,
): Pick<DocumentState, 'skeleton' | 'values'> {
  const after = edit.joints.length > 0 ? applySkeletonChange(skeleton, edit.joints) : skeleton;
  const next = applyValues(values, edit.values);
  checkJoints(edit.weights, after.joints.length);
  const counts = pointCounts(edit.values);
  if (counts.size > 0) checkAddedPoints(next);
  checkChange(withRoom(rows, counts), edit.weights);
  return { skeleton: after, values: next };
}

/** @throws CoreError argument-invalid if weights name joints that are not there */
function checkJoints(change: Change, jointCount: number): void {
  for (const { part, after } of change) {
    for (let i = 0; i < after.values.length; i++) {
      if (after.values[i] === 0 || after.joints[i] < jointCount) continue;
      throw new CoreError(
        'argument-invalid',
        `The weights name joint ${after.joints[i]}, and there are ${jointCount}.`,
        { part, joint: after.joints[i] },
      );
    }
  }
}
