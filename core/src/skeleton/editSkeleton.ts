import { mat4, quat, vec3 } from 'gl-matrix';
import { CoreError } from '../errors.ts';
import { childrenOf, liveJoints, parentsFirst, restWorld, type Skeleton } from './skeleton.ts';
import { changeOf, setupOf, type JointSetup, type SkeletonChange } from './skeletonChange.ts';

/** A place in the scene. */
export type Place = readonly [number, number, number];

const IDENTITY: readonly number[] = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
export const MAX_NAME_LENGTH = 120;

/**
 * Moves joints at rest to places in the scene. Nothing turns.
 * @param childrenStay whether what hangs below stays where it is; else it comes along
 */
export function moveJoints(
  skeleton: Skeleton,
  places: ReadonlyMap<number, Place>,
  childrenStay: boolean,
): SkeletonChange {
  const { joints } = skeleton;
  for (const [joint, place] of places) {
    if (!joints[joint] || joints[joint].removed || !place.every(Number.isFinite))
      throw new CoreError('argument-invalid', 'A joint can only be moved to a place in the scene.', {
        joint,
      });
  }
  const world = restWorld(skeleton);
  const moved = new Float64Array(joints.length * 3);
  const change: SkeletonChange[number][] = [];
  const above = mat4.create();
  for (const joint of parentsFirst(skeleton)) {
    const { parent, removed, offset } = joints[joint];
    const own = world.subarray(joint * 16 + 12, joint * 16 + 15);
    const to = places.get(joint);
    for (let k = 0; k < 3; k++) {
      if (to) moved[joint * 3 + k] = to[k] - own[k];
      else if (!childrenStay && parent >= 0) moved[joint * 3 + k] = moved[parent * 3 + k];
    }
    if (removed) continue;
    // Only places change, so the parent's frame has its old turn and scale, about its new place.
    mat4.identity(above);
    if (parent >= 0) {
      mat4.copy(above, world.subarray(parent * 16, parent * 16 + 16));
      for (let k = 0; k < 3; k++) above[12 + k] += moved[parent * 3 + k];
    }
    const relative = [0, 1, 2].map((k) => moved[joint * 3 + k] - (parent >= 0 ? moved[parent * 3 + k] : 0));
    if (relative.every((length) => length === 0)) continue;
    mat4.multiply(above, above, offset);
    const goal: vec3 = [0, 1, 2].map((k) => own[k] + moved[joint * 3 + k]);
    const inverse = mat4.create();
    if (!mat4.invert(inverse, above)) continue;
    const [x, y, z] = vec3.transformMat4([0, 0, 0], goal, inverse);
    change.push(...changeOf(skeleton, joint, { ...setupOf(joints[joint]), translation: [x, y, z] }));
  }
  return change;
}

/**
 * The skeleton made larger or smaller about the scene's origin: every length times `factor`, nothing turned.
 * @throws CoreError argument-invalid unless the factor is a positive number
 */
export function scaleSkeleton(skeleton: Skeleton, factor: number): SkeletonChange {
  if (!(factor > 0 && Number.isFinite(factor)))
    throw new CoreError('argument-invalid', 'A skeleton is scaled by a number above 0.', { factor });
  return liveJoints(skeleton).flatMap((joint) => {
    const setup = setupOf(skeleton.joints[joint]);
    const offset = setup.offset.map((n, i) => (i >= 12 && i < 15 ? n * factor : n));
    const [x, y, z] = setup.translation;
    return changeOf(skeleton, joint, { ...setup, offset, translation: [x * factor, y * factor, z * factor] });
  });
}

/**
 * Adds a joint below another (or as a root, for −1), turned as its parent is.
 * @param id one that no other joint has, wherever it was made
 * @returns the change; the new joint's index is the number of joints before, removed ones included
 */
export function addJoint(
  skeleton: Skeleton,
  id: string,
  parent: number,
  name: string,
  place: Place,
): SkeletonChange {
  const { joints } = skeleton;
  if (parent >= 0 && (!joints[parent] || joints[parent].removed))
    throw new CoreError('argument-invalid', 'Choose the joint that the new one hangs on.', { parent });
  const setup: JointSetup = {
    id,
    name: checkName(skeleton, -1, name),
    parent,
    offset: IDENTITY,
    translation: [place[0], place[1], place[2]],
    rotation: [0, 0, 0, 1],
    scale: [1, 1, 1],
  };
  if (parent >= 0) {
    const inverse = mat4.create();
    const above = restWorld(skeleton).subarray(parent * 16, parent * 16 + 16);
    if (!mat4.invert(inverse, above)) mat4.identity(inverse);
    const [x, y, z] = vec3.transformMat4([0, 0, 0], [...place], inverse);
    return [{ joint: joints.length, before: null, after: { ...setup, translation: [x, y, z] } }];
  }
  return [{ joint: joints.length, before: null, after: setup }];
}

/** Takes a joint out. What hangs on it hangs on its parent from then on, and stays where it is. */
export function removeJoint(skeleton: Skeleton, joint: number): SkeletonChange {
  const { joints } = skeleton;
  if (!joints[joint] || joints[joint].removed)
    throw new CoreError('argument-invalid', 'This joint is not there any more.', { joint });
  if (liveJoints(skeleton).length === 1)
    throw new CoreError('argument-invalid', 'The last joint cannot be removed.', { joint });
  const { parent, offset } = joints[joint];
  const own = compose(joints[joint]);
  mat4.multiply(own, offset, own);
  const children = childrenOf(skeleton)[joint].flatMap((child) => {
    // What stood between stands between still: exact, and the child's own clips keep their meaning.
    const between = mat4.multiply(mat4.create(), own, joints[child].offset);
    return changeOf(skeleton, child, { ...setupOf(joints[child]), parent, offset: [...between] });
  });
  return [...changeOf(skeleton, joint, null), ...children];
}

/** Hangs a joint, with all below it, on another one (or makes it a root, for −1); everything stays where it is. */
export function reparentJoint(skeleton: Skeleton, joint: number, parent: number): SkeletonChange {
  const { joints } = skeleton;
  for (let j = parent; j >= 0; j = joints[j].parent) {
    if (j === joint)
      throw new CoreError('argument-invalid', `“${joints[joint].name}” cannot hang below itself.`, { joint });
  }
  if (joints[joint].parent === parent) return [];
  const world = restWorld(skeleton);
  const inverse = mat4.create();
  if (parent >= 0 && !mat4.invert(inverse, world.subarray(parent * 16, parent * 16 + 16)))
    throw new CoreError(
      'argument-invalid',
      `“${joints[parent].name}” has no size, so nothing can hang on it.`,
    );
  const setup = setupOf(joints[joint]);
  const local = mat4.multiply(mat4.create(), inverse, world.subarray(joint * 16, joint * 16 + 16));
  const parts = decompose(local);
  const again = compose(parts);
  if ([...again].every((n, i) => Math.abs(n - local[i]) < 1e-5 * (1 + Math.abs(n))))
    return changeOf(skeleton, joint, { ...setup, parent, offset: IDENTITY, ...parts });
  // A sheared frame is no turn, move and scale: the shear goes into what stands between.
  const own = mat4.invert(mat4.create(), compose(setup)) ?? mat4.create();
  return changeOf(skeleton, joint, { ...setup, parent, offset: [...mat4.multiply(own, local, own)] });
}

function compose({
  translation,
  rotation,
  scale,
}: Pick<JointSetup, 'translation' | 'rotation' | 'scale'>): mat4 {
  return mat4.fromRotationTranslationScale(mat4.create(), rotation, translation, scale);
}

/** A matrix as a move, a turn and a scale. */
export function decompose(matrix: mat4): Pick<JointSetup, 'translation' | 'rotation' | 'scale'> {
  const [tx, ty, tz] = mat4.getTranslation([0, 0, 0], matrix);
  const [sx, sy, sz] = mat4.getScaling([0, 0, 0], matrix);
  const flip = mat4.determinant(matrix) < 0 ? -1 : 1;
  const turned = mat4.clone(matrix);
  [sx * flip, sy, sz].forEach((s, axis) => {
    for (let k = 0; k < 3; k++) turned[axis * 4 + k] /= s || 1;
  });
  const [qx, qy, qz, qw] = quat.normalize([0, 0, 0, 1], mat4.getRotation([0, 0, 0, 1], turned));
  return { translation: [tx, ty, tz], rotation: [qx, qy, qz, qw], scale: [sx * flip, sy, sz] };
}

/** @throws CoreError argument-invalid if the name is empty, too long or another joint's */
export function renameJoint(skeleton: Skeleton, joint: number, name: string): SkeletonChange {
  return changeOf(skeleton, joint, {
    ...setupOf(skeleton.joints[joint]),
    name: checkName(skeleton, joint, name),
  });
}

function checkName(skeleton: Skeleton, joint: number, name: string): string {
  const wanted = name.trim();
  if (wanted.length === 0 || wanted.length > MAX_NAME_LENGTH)
    throw new CoreError('argument-invalid', `A joint’s name has 1 to ${MAX_NAME_LENGTH} characters.`);
  if (liveJoints(skeleton).some((other) => other !== joint && skeleton.joints[other].name === wanted))
    throw new CoreError('argument-invalid', `There is a joint “${wanted}” already. Choose another name.`);
  return wanted;
}

/** A name that is not taken: the wish, or the wish with a number; taken from then on. */
export function freeJointName(taken: Set<string>, wish: string): string {
  let name = wish;
  for (let number = 2; taken.has(name); number++) {
    const end = `_${number}`;
    name = wish.slice(0, MAX_NAME_LENGTH - end.length) + end;
  }
  taken.add(name);
  return name;
}

/** Joints without a name are called after their parents; of those that share one, all but the first get a number. */
export function nameJoints(
  skeleton: Skeleton,
  which: { readonly missing: boolean; readonly double: boolean },
): SkeletonChange {
  const { joints } = skeleton;
  const live = liveJoints(skeleton);
  const taken = new Set(live.map((joint) => joints[joint].name));
  // What is there already keeps its name: others begin at two.
  const free = (name: string): string => freeJointName(taken.add(name), name);
  const seen = new Set<string>();
  return live.flatMap((joint) => {
    const { name, named, parent } = joints[joint];
    const after = named && !seen.has(name);
    if (named) seen.add(name);
    if (after || !(named ? which.double : which.missing)) return [];
    const next = free(named ? name : (joints[parent]?.name ?? 'joint')).slice(0, MAX_NAME_LENGTH);
    return changeOf(skeleton, joint, { ...setupOf(joints[joint]), name: next });
  });
}
