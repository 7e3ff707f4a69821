import type { Skeleton } from '../skeleton/skeleton.ts';
import type { JointSetup, SkeletonChange } from '../skeleton/skeletonChange.ts';
import type { Change } from '../weights/delta.ts';
import type { WeightRows } from '../weights/rows.ts';
import type { Edit } from './edit.ts';
import { renumberPath, renumberValue } from './paths.ts';

/**
 * Joint numbers that two people gave at the same time: number in the edit → number in the document. Joints are the same
 * if their ids are.
 */
export type JointNumbers = Map<number, number>;

/** Finds the numbers of an edit's joints in a skeleton; joints that it does not have get new ones behind the last. */
export function matchJoints(skeleton: Skeleton, change: SkeletonChange, numbers: JointNumbers): void {
  const known = new Map(skeleton.joints.map(({ id }, joint) => [id, joint]));
  let next = Math.max(skeleton.joints.length, ...[...numbers.values()].map((joint) => joint + 1));
  for (const { joint, before, after } of change) {
    const id = (before ?? after)?.id;
    if (id === undefined || numbers.has(joint)) continue;
    const held = known.get(id);
    if (held !== undefined) {
      if (held !== joint) numbers.set(joint, held);
      continue;
    }
    const isFree = joint >= skeleton.joints.length && joint === next;
    if (!isFree) numbers.set(joint, next);
    next++;
  }
}

/** The same edit with other joint numbers. */
export function renumberJoints(edit: Edit, numbers: JointNumbers): Edit {
  if (numbers.size === 0) return edit;
  const to = (joint: number): number => numbers.get(joint) ?? joint;
  const setup = (held: JointSetup | null): JointSetup | null =>
    held && { ...held, parent: held.parent < 0 ? held.parent : to(held.parent) };
  return {
    joints: edit.joints.map(({ joint, before, after }) => ({
      joint: to(joint),
      before: setup(before),
      after: setup(after),
    })),
    values: edit.values.map(({ path, before, after }) => ({
      path: renumberPath(path, to),
      before: renumberValue(path, before, to),
      after: renumberValue(path, after, to),
    })),
    weights: renumberWeights(edit.weights, to),
  };
}

function renumberWeights(change: Change, to: (joint: number) => number): Change {
  const rows = (of: WeightRows): WeightRows => ({
    ...of,
    joints: of.joints.map((joint, i) => (of.values[i] > 0 ? to(joint) : 0)),
  });
  return change.map((delta) => ({ ...delta, before: rows(delta.before), after: rows(delta.after) }));
}
