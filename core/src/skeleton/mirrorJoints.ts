import { mat4 } from 'gl-matrix';
import { CoreError } from '../errors.ts';
import { decompose, freeJointName, MAX_NAME_LENGTH, type Place } from './editSkeleton.ts';
import { type JointPairs, mirroredName, type MiddlePlane } from './pairs.ts';
import { liveJoints, parentsFirst, restWorld, type Skeleton } from './skeleton.ts';
import type { JointSetup, SkeletonChange } from './skeletonChange.ts';

const IDENTITY: readonly number[] = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

export type Plane = Pick<MiddlePlane, 'axis' | 'middle'>;

/** A place on the other side of a plane. */
export function mirroredPlace(place: Place, { axis, middle }: Plane): Place {
  const across = (x: number, k: number): number => (k === axis ? 2 * middle - x : x);
  return [across(place[0], 0), across(place[1], 1), across(place[2], 2)];
}

/**
 * Makes the other side of joints: each gets a partner at the mirrored place, turned as in a mirror, called as the other
 * side is called. It hangs on the partner of what its joint hangs on, or on the same joint where that is on the middle.
 * Joints that stand on the plane, or have a partner, are passed over.
 *
 * @param tolerance how far from the plane still counts as on it, in scene units
 * @param newId     an id that no other joint has, wherever it was made
 * @throws CoreError argument-invalid if no joint needs another side
 */
export function mirrorJoints(
  skeleton: Skeleton,
  chosen: readonly number[],
  { partner, axis, middle }: JointPairs,
  tolerance: number,
  newId: () => string,
): SkeletonChange {
  const { joints } = skeleton;
  const world = restWorld(skeleton);
  const wanted = new Set(
    chosen.filter(
      (joint) =>
        !(partner[joint] >= 0 && partner[joint] !== joint) &&
        Math.abs(world[joint * 16 + 12 + axis] - middle) > tolerance,
    ),
  );
  if (wanted.size === 0)
    throw new CoreError(
      'argument-invalid',
      'These joints have another side already, or stand on the middle of the body.',
    );
  const taken = new Set(liveJoints(skeleton).map((joint) => joints[joint].name));
  const made = new Map<number, { joint: number; world: mat4 }>();
  const change: SkeletonChange[number][] = [];
  for (const joint of parentsFirst(skeleton)) {
    if (!wanted.has(joint)) continue;
    const { parent, name } = joints[joint];
    const matrix = mirroredMatrix(world.subarray(joint * 16, joint * 16 + 16), axis, middle);
    const above = made.get(parent);
    const other = above?.joint ?? (parent >= 0 && partner[parent] >= 0 ? partner[parent] : parent);
    const frame = above?.world ?? (other >= 0 ? world.subarray(other * 16, other * 16 + 16) : mat4.create());
    const inverse = mat4.create();
    if (!mat4.invert(inverse, frame)) mat4.identity(inverse);
    const number = joints.length + change.length;
    made.set(joint, { joint: number, world: matrix });
    const after: JointSetup = {
      id: newId(),
      name: freeJointName(taken, (mirroredName(name) ?? `${name}_other`).slice(0, MAX_NAME_LENGTH)),
      parent: other,
      offset: IDENTITY,
      ...decompose(mat4.multiply(inverse, inverse, matrix)),
    };
    change.push({ joint: number, before: null, after });
  }
  return change;
}

/** A frame as a mirror shows it: its place and its axes on the other side; still right-handed. */
function mirroredMatrix(own: ArrayLike<number>, axis: number, middle: number): mat4 {
  const mirrored = mat4.clone(own as mat4);
  // The mirror from both sides: what turns left turns right, and no axis is turned over.
  for (let column = 0; column < 4; column++) mirrored[column * 4 + axis] *= -1;
  for (let row = 0; row < 4; row++) mirrored[axis * 4 + row] *= -1;
  mirrored[12 + axis] = 2 * middle - own[12 + axis];
  return mirrored;
}
