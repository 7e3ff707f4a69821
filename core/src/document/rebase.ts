import { CoreError } from '../errors.ts';
import type { Joint, Skeleton } from '../skeleton/skeleton.ts';
import {
  applySkeletonChange,
  sameSetup,
  setupOf,
  type JointChange,
  type SkeletonChange,
} from '../skeleton/skeletonChange.ts';
import { cutDelta, type Change } from '../weights/delta.ts';
import { rebaseWeights } from '../weights/rebase.ts';
import type { WeightRows } from '../weights/rows.ts';
import { locksOf, partPath } from './paths.ts';
import type { DocumentState } from './document.ts';
import type { Edit } from './edit.ts';
import { matchJoints, renumberJoints, type JointNumbers } from './renumberJoints.ts';
import { rebaseValues } from './values.ts';
import { pointCounts, withRoom } from './pointCounts.ts';

/** An edit put on top of a document that others have changed meanwhile. */
export interface RebasedEdit {
  readonly edit: Edit;
  /** The weights that it had asked for, with joints by what they are called now. */
  readonly wanted: Change;
  /** Points, joints and settings that others had changed too. */
  readonly overlapping: number;
  /** Points where not all of the edit was taken, with the rows that it had wanted. */
  readonly notTaken: Change;
}

/**
 * The same edit on another document than the one it was made on. Weights are settled influence by influence
 * ({@link rebaseWeights}); of joints and values, the edit's own state stands.
 *
 * @param numbers what joints are called now that earlier edits of the same row of edits had added; added to here
 */
export function rebaseEdit(document: DocumentState, edit: Edit, numbers: JointNumbers): RebasedEdit {
  matchJoints(document.skeleton, edit.joints, numbers);
  const own = renumberJoints(edit, numbers);
  const joints = rebaseJoints(document.skeleton, own.joints);
  const { values, weights: asked, lost } = withOthersPoints(document, own);
  const rows = withRoom(document.rows, pointCounts(values.change));
  const wanted = thatAreThere(rows, asked);
  const weights = rebaseWeights(rows, wanted, locksOf(document.values));
  return {
    edit: { joints: joints.change, values: values.change, weights: weights.change },
    overlapping: joints.overlapping + values.overlapping.length + weights.overlapping + lost,
    wanted,
    notTaken: weights.notTaken,
  };
}

/**
 * Outlines and meshes that others have changed too stay theirs, with the points that they have: points of two people's cannot
 * be told apart by their numbers.
 */
function withOthersPoints(
  { values }: DocumentState,
  edit: Edit,
): { values: ReturnType<typeof rebaseValues>; weights: Change; lost: number } {
  const rebased = rebaseValues(values, edit.values);
  const counts = pointCounts(edit.values);
  const theirs = new Set(
    [...counts.keys()].filter((part) => pathsOf(part).some((path) => rebased.overlapping.includes(path))),
  );
  if (theirs.size === 0) return { values: rebased, weights: edit.weights, lost: 0 };
  const change = rebased.change.filter(
    ({ path }) => ![...theirs].some((part) => pathsOf(part).includes(path)),
  );
  const weights = edit.weights.flatMap((delta) => {
    if (!theirs.has(delta.part)) return [delta];
    return [cutDelta(delta, counts.get(delta.part)?.before ?? 0)];
  });
  return { values: { ...rebased, change }, weights, lost: theirs.size };
}

/** A change without points, and parts, that others have taken out. */
const thatAreThere = (rows: readonly WeightRows[], change: Change): Change =>
  change
    .map((delta) => cutDelta(delta, (rows[delta.part] as WeightRows | undefined)?.pointCount ?? 0))
    .filter(({ points }) => points.length > 0);

/** Where it is said which points a part has. */
const pathsOf = (part: number): string[] => [
  partPath(part, 'outlines'),
  partPath(part, 'mesh'),
  partPath(part, 'cage'),
];

function rebaseJoints(
  skeleton: Skeleton,
  change: SkeletonChange,
): { change: SkeletonChange; overlapping: number } {
  let overlapping = 0;
  const lines = change.map(({ joint, before: seen, after }) => {
    const held = skeleton.joints[joint] as Joint | undefined;
    const before = held && !held.removed ? setupOf(held) : null;
    if (!sameSetup(before, seen)) overlapping++;
    return { joint, before, after };
  });
  const kept = lines.filter(({ before, after }) => !sameSetup(before, after));
  // Others may have left nothing for these to hang on: then they hang on nothing; of what cannot be, new joints stay.
  const rooted = kept.map((line) => rootedIn(skeleton, kept, line));
  const added = rooted.filter(({ before }) => before === null);
  for (const [tries, some] of [kept, rooted, added].entries()) {
    try {
      applySkeletonChange(skeleton, some);
      return { change: some, overlapping: overlapping + (tries > 0 ? 1 : 0) };
    } catch (error) {
      if (!(error instanceof CoreError)) throw error;
    }
  }
  return { change: [], overlapping: change.length };
}

function rootedIn(skeleton: Skeleton, change: SkeletonChange, line: JointChange): JointChange {
  const { after } = line;
  if (!after || after.parent < 0) return line;
  const own = change.find(({ joint }) => joint === after.parent);
  const held = skeleton.joints[after.parent] as Joint | undefined;
  const isThere = own ? own.after !== null : held !== undefined && !held.removed;
  return isThere ? line : { ...line, after: { ...after, parent: -1 } };
}
