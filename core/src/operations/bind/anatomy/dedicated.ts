import { childrenOf, type Skeleton } from '../../../skeleton/skeleton.ts';
import type { BindSpace } from '../../../document/space/bindSpace.ts';
import type { NearestJoints } from '../nearestJoints.ts';
import { bindKernels } from '../bindKernels.ts';

/** Words that say nothing of what a part is. */
const EMPTY_WORDS = new Set(
  'mesh geo geometry part object obj model low high lod skin body character main group default node grp msh'.split(
    ' ',
  ),
);
/** How much further a part's own joints may be than others and still come first. */
const PREFERENCE = 3;

/**
 * Joints that are there for one part: a cape's, a beak's. They carry the part's name, and so does all that hangs on
 * them. By joint the number of the part in the space, -1 for the others.
 */
export type Dedicated = Int32Array;

function wordsOf(name: string): string[] {
  return name
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^a-z]+/)
    .filter((word) => word.length > 2 && !EMPTY_WORDS.has(word))
    .map((word) => word.replace(/s$/, ''));
}

/**
 * Finds joints that carry a part's name. The part with the most points, which is the body, has none; neither has a part
 * whose joints lead on to joints of other names (an arm's to a hand).
 *
 * @param names by part of the space
 */
export function findDedicated(
  skeleton: Skeleton,
  names: readonly string[],
  { firstPoint }: BindSpace,
  deforms: (joint: number) => boolean,
): Dedicated {
  const { joints } = skeleton;
  const ofJoint = new Int32Array(joints.length).fill(-1);
  const sizes = names.map((_, i) => firstPoint[i + 1] - firstPoint[i]);
  const body = sizes.indexOf(Math.max(...sizes));
  const words = joints.map(({ name }) => new Set(wordsOf(name)));
  const children = childrenOf(skeleton);
  names.forEach((name, part) => {
    const wanted = wordsOf(name);
    if (part === body || wanted.length === 0) return;
    const own = joints.flatMap(({ removed }, joint) =>
      !removed && deforms(joint) && wanted.every((word) => words[joint].has(word)) ? [joint] : [],
    );
    const set = new Set(own);
    const isClosed = own.every((joint) => children[joint].every((child) => set.has(child)));
    if (own.length === 0 || own.length === joints.length || !isClosed) return;
    // Two parts of one name share their joints, so neither has them for itself.
    for (const joint of own) ofJoint[joint] = ofJoint[joint] === -1 ? part : -2;
  });
  return ofJoint.map((part) => Math.max(-1, part));
}

/**
 * Puts a part's own joints, and what they hang on, before others in its points' rows, and takes them out of the rows of
 * other parts, as far as these have another joint.
 */
export function preferDedicated(
  reach: NearestJoints,
  space: BindSpace,
  { joints }: Skeleton,
  ofJoint: Dedicated,
): void {
  if (ofJoint.every((part) => part < 0)) return;
  const { memory, firstPoint } = space;
  const factors = memory.f64(joints.length);
  space.parts.forEach((_, part) => {
    factors.set(factorsOn(part, joints, ofJoint));
    bindKernels(memory).weighSlots(reach, firstPoint[part], firstPoint[part + 1], factors);
  });
}

/** By joint: what its distance from points of a part is multiplied by. */
function factorsOn(part: number, joints: Skeleton['joints'], ofJoint: Dedicated): Float64Array {
  const near = new Set<number>();
  ofJoint.forEach((owner, joint) => {
    if (owner !== part) return;
    near.add(joint);
    if (joints[joint].parent >= 0) near.add(joints[joint].parent);
  });
  return Float64Array.from(ofJoint, (owner, joint) => {
    if (owner >= 0 && owner !== part) return Infinity;
    return near.size > 0 && !near.has(joint) ? PREFERENCE : 1;
  });
}
