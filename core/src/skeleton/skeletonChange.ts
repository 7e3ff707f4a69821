import { mat4 } from 'gl-matrix';
import { CoreError } from '../errors.ts';
import {
  parentsFirst,
  restWorld,
  fileJointId,
  liveJoints,
  nodeOfJointId,
  sideOfName,
  type Joint,
  type Skeleton,
} from './skeleton.ts';

/** What can be changed of a joint: its name, what it hangs on, and how it stands at rest. */
export type JointSetup = Pick<
  Joint,
  'id' | 'name' | 'parent' | 'offset' | 'translation' | 'rotation' | 'scale'
>;

/** One joint before and after; null where it is not there. */
export interface JointChange {
  readonly joint: number;
  readonly before: JointSetup | null;
  readonly after: JointSetup | null;
}

/** A reversible change of a skeleton, at most one line a joint. */
export type SkeletonChange = readonly JointChange[];

/** How joints stand now that differ from the file: by joint index; null for one that was taken out. */
export type JointSetups = Readonly<Record<number, JointSetup | null>>;

const IDENTITY: readonly number[] = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

export function setupOf({ id, name, parent, offset, translation, rotation, scale }: Joint): JointSetup {
  return { id, name, parent, offset, translation, rotation, scale };
}

/** The change that takes `change` back. */
export function invertSkeletonChange(change: SkeletonChange): SkeletonChange {
  return change.map(({ joint, before, after }) => ({ joint, before: after, after: before }));
}

/**
 * One change that does what `first` and then `second` do. A joint that comes and goes stays as a line of nothing: it holds
 * the number that others behind it count on.
 */
export function composeSkeletonChanges(first: SkeletonChange, second: SkeletonChange): SkeletonChange {
  const lines = new Map(first.map((line) => [line.joint, line]));
  for (const { joint, before, after } of second)
    lines.set(joint, {
      joint,
      before: lines.has(joint) ? (lines.get(joint)?.before ?? null) : before,
      after,
    });
  return [...lines.values()].filter(
    ({ before, after }) => !sameSetup(before, after) || (before === null && after === null),
  );
}

/** Makes one line of a change, or none if it ends as it began. */
export function changeOf(skeleton: Skeleton, joint: number, after: JointSetup | null): SkeletonChange {
  const held = skeleton.joints[joint] as Joint | undefined;
  const before = held && !held.removed ? setupOf(held) : null;
  return sameSetup(before, after) ? [] : [{ joint, before, after }];
}

/** Whether two setups say the same. */
export function sameSetup(a: JointSetup | null, b: JointSetup | null): boolean {
  if (!a || !b) return a === b;
  const same = (x: readonly number[], y: readonly number[]): boolean => x.every((n, i) => n === y[i]);
  return (
    a.id === b.id &&
    a.name === b.name &&
    a.parent === b.parent &&
    same(a.offset, b.offset) &&
    same(a.translation, b.translation) &&
    same(a.rotation, b.rotation) &&
    same(a.scale, b.scale)
  );
}

/**
 * The skeleton after a change. Joints keep their indices: one that is taken out stays as `removed`.
 * @throws CoreError `delta-mismatch` if a joint is not what the change expects, `argument-invalid` if the result were no
 *         skeleton
 */
export function applySkeletonChange(skeleton: Skeleton, change: SkeletonChange): Skeleton {
  for (const { joint, before } of change) {
    const held = skeleton.joints[joint] as Joint | undefined;
    if (sameSetup(held && !held.removed ? setupOf(held) : null, before)) continue;
    throw new CoreError('delta-mismatch', `This change was made on another skeleton (joint ${joint}).`, {
      joint,
    });
  }
  checkNumbers(skeleton, change);
  const next = withSetups(skeleton, Object.fromEntries(change.map(({ joint, after }) => [joint, after])));
  // Joints that a person has added to a bare mesh may all go again.
  const hadFileJoints = liveJoints(skeleton).some((joint) => joint < countFileJoints(skeleton));
  if (hadFileJoints && liveJoints(next).length === 0)
    throw new CoreError('argument-invalid', 'The last joint cannot be removed.');
  return next;
}

/** Joints that the file's skins have: they come first, under ids of their numbers. */
function countFileJoints({ joints }: Skeleton): number {
  let count = 0;
  while (count < joints.length && joints[count].id === fileJointId(count) && joints[count].node >= 0) count++;
  return count;
}

/** How far the length of a rotation may be off one. */
const ROTATION_SLACK = 0.01;

/** New joints come right behind the last one, no id stands twice, and rotations are rotations. */
function checkNumbers(skeleton: Skeleton, change: SkeletonChange): void {
  let next = skeleton.joints.length;
  const changed = new Set(change.map(({ joint }) => joint));
  const ids = new Set(
    skeleton.joints.flatMap(({ id, removed }, j) => (removed || changed.has(j) ? [] : [id])),
  );
  for (const { joint, after } of [...change].sort((a, b) => a.joint - b.joint)) {
    if (joint > next)
      throw new CoreError('argument-invalid', `There is no joint ${joint}: the next new one is ${next}.`, {
        joint,
      });
    if (joint === next) next++;
    if (!after) continue;
    if (ids.has(after.id))
      throw new CoreError('argument-invalid', `Two joints would have the id “${after.id}”.`, { joint });
    ids.add(after.id);
    if (Math.abs(Math.hypot(...after.rotation) - 1) > ROTATION_SLACK)
      throw new CoreError('argument-invalid', `The rotation of “${after.name}” is none.`, { joint });
  }
}

/**
 * The skeleton with some joints set up otherwise.
 * @throws CoreError argument-invalid if a joint hangs on one that is not there, or below itself
 */
export function withSetups(skeleton: Skeleton, setups: JointSetups): Skeleton {
  const joints = [...skeleton.joints];
  for (const key of Object.keys(setups)) {
    const joint = Number(key);
    while (joints.length <= joint) joints.push(absent(joints.length));
  }
  for (const [key, setup] of Object.entries(setups)) {
    const joint = Number(key);
    joints[joint] = setup ? present(joints[joint], setup) : { ...joints[joint], parent: -1, removed: true };
  }
  joints.forEach(({ parent, removed, name }, joint) => {
    if (
      removed ||
      (parent >= -1 && parent !== joint && (parent < 0 || (joints[parent] && !joints[parent].removed)))
    )
      return;
    throw new CoreError('argument-invalid', `“${name}” would hang on a joint that is not there.`, { joint });
  });
  const next = { joints };
  parentsFirst(next);
  return next;
}

function present(joint: Joint, setup: JointSetup): Joint {
  const { removed: _, ...kept } = joint;
  const node = kept.node >= 0 ? kept.node : nodeOfJointId(setup.id);
  return {
    ...kept,
    ...setup,
    node,
    named: kept.named || setup.name !== kept.name,
    side: sideOfName(setup.name),
  };
}

function absent(index: number): Joint {
  return {
    id: fileJointId(index),
    name: `joint ${index}`,
    named: false,
    parent: -1,
    side: 'middle',
    offset: IDENTITY,
    translation: [0, 0, 0],
    rotation: [0, 0, 0, 1],
    scale: [1, 1, 1],
    node: -1,
    removed: true,
  };
}

/**
 * Inverse bind matrices for a skeleton that was changed since the file was read, such that every point stays where it
 * is with the skeleton at rest, whatever its weights: new world⁻¹ · old world · old inverse bind.
 *
 * @param inverseBinds as in CharacterPart, for the skeleton `from`
 * @returns Float32Array, 16·(joints of `to` + 1)
 */
export function rebind(inverseBinds: Float32Array, from: Skeleton, to: Skeleton): Float32Array {
  const count = to.joints.length;
  const binds = new Float32Array((count + 1) * 16);
  const place = inverseBinds.subarray(inverseBinds.length - 16);
  const [before, after] = [restWorld(from), restWorld(to)];
  const inverse = mat4.create();
  for (let joint = 0; joint < count; joint++) {
    const at = joint * 16;
    const known = joint < from.joints.length && !from.joints[joint].removed;
    const old = before.subarray(at, at + 16);
    const now = after.subarray(at, at + 16);
    const own = inverseBinds.subarray(at, at + 16);
    const target = binds.subarray(at, at + 16);
    if (known && (to.joints[joint].removed || now.every((n, i) => n === old[i]))) {
      target.set(own);
      continue;
    }
    if (!mat4.invert(inverse, now)) mat4.identity(inverse);
    if (known) {
      mat4.multiply(target, old, own);
      mat4.multiply(target, inverse, target);
    } else mat4.multiply(target, inverse, place);
  }
  binds.set(place, count * 16);
  return binds;
}
