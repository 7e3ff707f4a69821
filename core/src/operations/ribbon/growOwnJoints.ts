import { mat4 } from 'gl-matrix';
import { MAX_OWN_JOINTS, MIN_OWN_JOINTS, type Ribbon } from '../../deform/ribbon/Ribbon.ts';
import { ownJointPlaces } from '../../deform/ribbon/RibbonCarrier.ts';
import { CoreError } from '../../errors.ts';
import { decompose, freeJointName, MAX_NAME_LENGTH } from '../../skeleton/editSkeleton.ts';
import { liveJoints, restWorld, type Skeleton } from '../../skeleton/skeleton.ts';
import type { JointSetup, SkeletonChange } from '../../skeleton/skeletonChange.ts';

/** Numbers that are one but for rounding. */
const ONE = 1e-5;

/**
 * Adds joints along a ribbon, evenly, for its part to hang on: what {@link Ribbon.ownJoints} names, behind all joints.
 *
 * @param chain where the ribbon's chain runs at rest, see {@link chainPlaces}
 * @param name  what they are called, before their number
 * @param newId gives ids that no joint has
 * @throws CoreError argument-invalid for a number that is too small or too great
 */
export function growOwnJoints(
  skeleton: Skeleton,
  ribbon: Ribbon,
  chain: Float64Array,
  count: number,
  name: string,
  newId: () => string,
): SkeletonChange {
  if (!Number.isInteger(count) || count < MIN_OWN_JOINTS || count > MAX_OWN_JOINTS)
    throw new CoreError(
      'argument-invalid',
      `A ribbon takes ${MIN_OWN_JOINTS} to ${MAX_OWN_JOINTS} joints of its own.`,
      { count },
    );
  const { joints } = skeleton;
  const taken = new Set(liveJoints(skeleton).map((joint) => joints[joint].name));
  const rest = restWorld(skeleton);
  return ownJointPlaces(ribbon, chain, count).map(({ world, parent }, i) => {
    const back = mat4.invert(mat4.create(), rest.subarray(parent * 16, parent * 16 + 16));
    const { translation, rotation, scale } = decompose(
      mat4.multiply(mat4.create(), back ?? mat4.create(), world),
    );
    const called = freeJointName(taken, `${name.slice(0, MAX_NAME_LENGTH - 8)}_${i + 1}`);
    taken.add(called);
    const after: JointSetup = {
      ...{ id: newId(), name: called, parent, translation, rotation },
      offset: [...mat4.create()],
      scale: [evened(scale[0]), evened(scale[1]), evened(scale[2])],
    };
    return { joint: joints.length + i, before: null, after };
  });
}

const evened = (scale: number): number => (Math.abs(scale - 1) < ONE ? 1 : scale);
