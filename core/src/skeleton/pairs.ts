import { liveJoints, type Side, type Skeleton } from './skeleton.ts';

/** How a joint found its partner. */
export type PairBasis = 'name' | 'place' | 'given';

export interface JointPairs {
  /** Int32Array, jointCount: the joint of the other side; itself on the middle, -1 where there is none. */
  readonly partner: Int32Array;
  readonly basis: readonly (PairBasis | undefined)[];
  /** The axis across the body, 0 to 2, and where its middle lies. */
  readonly axis: number;
  readonly middle: number;
}

/** A plane across an axis that may divide a body in two. */
export interface MiddlePlane {
  readonly axis: number;
  readonly middle: number;
  /** How much of the surface is like its mirror image there, at most 1. */
  readonly share: number;
}

const SIDE_WORDS: readonly (readonly [RegExp, string])[] = [
  [/^(.*?)(^|[\s_.:|-])(l|r)($|(?=[\s_.:|\d-]))(.*)$/i, 'letter'],
  [/^(.*?)()(left|right)()(.*)$/i, 'word'],
];

/** The name that the other side's joint would have, in the spelling of this one; undefined without a side in it. */
export function mirroredName(name: string): string | undefined {
  for (const [pattern] of SIDE_WORDS) {
    const match = pattern.exec(name);
    if (!match) continue;
    const [, before, gap, word, , after] = match;
    return before + gap + swapSide(word) + after;
  }
  return undefined;
}

function swapSide(word: string): string {
  const other: Record<string, string> = { l: 'r', r: 'l', left: 'right', right: 'left' };
  const swapped = other[word.toLowerCase()];
  if (word === word.toUpperCase()) return swapped.toUpperCase();
  return word[0] === word[0].toUpperCase() ? swapped[0].toUpperCase() + swapped.slice(1) : swapped;
}

/**
 * Pairs of left and right joints: by name where the spelling tells (`_l`, `.L`, `Left…`, `l_…`), else by place across
 * the middle.
 *
 * @param places     Float32Array, 3·jointCount
 * @param tolerance  how far a mirrored place may be off, in the units of `places`
 * @param given      partners that a person has set, by joint; itself for the middle, -1 for none
 * @param plane      what the surface says of the body's middle: it stands where there are too few pairs to tell
 */
export function pairJoints(
  { joints }: Skeleton,
  places: Float32Array,
  tolerance: number,
  given: Readonly<Record<number, number>> = {},
  plane: MiddlePlane = { axis: 0, middle: 0, share: 0 },
): JointPairs {
  const live = liveJoints({ joints });
  const byName = new Map(live.map((joint) => [joints[joint].name.toLowerCase(), joint]));
  const partner = new Int32Array(joints.length).fill(-1);
  const basis: (PairBasis | undefined)[] = joints.map(() => undefined);
  const isGiven = (joint: number): boolean => basis[joint] === 'given';
  for (const joint of live) {
    const other = given[joint] as number | undefined;
    if (other === undefined || (other >= 0 && !live.includes(other))) continue;
    partner[joint] = other;
    basis[joint] = 'given';
  }
  live.forEach((joint) => {
    const { name } = joints[joint];
    const other = byName.get(mirroredName(name)?.toLowerCase() ?? '');
    if (other === undefined || other === joint || isGiven(joint) || isGiven(other)) return;
    partner[joint] = other;
    basis[joint] = 'name';
  });
  const { axis, middle } = findMiddle(partner, places, plane);
  live.forEach((joint) => {
    if (partner[joint] >= 0 || isGiven(joint)) return;
    const own = places.subarray(joint * 3, joint * 3 + 3);
    if (Math.abs(own[axis] - middle) <= tolerance) {
      partner[joint] = joint;
      return;
    }
    let least = tolerance;
    live.forEach((other) => {
      if (other === joint || partner[other] >= 0 || isGiven(other)) return;
      // Links of one chain are no sides of each other, however they lie.
      if (isAbove(joints, joint, other) || isAbove(joints, other, joint)) return;
      const far = Math.hypot(
        ...[0, 1, 2].map((k) => (k === axis ? 2 * middle - own[k] : own[k]) - places[other * 3 + k]),
      );
      if (far >= least) return;
      least = far;
      partner[joint] = other;
      basis[joint] = 'place';
    });
    if (partner[joint] >= 0) {
      partner[partner[joint]] = joint;
      basis[partner[joint]] = 'place';
    }
  });
  return { partner, basis, axis, middle };
}

/** Whether a joint hangs, over any number of others, on one above. */
function isAbove(joints: Skeleton['joints'], above: number, joint: number): boolean {
  let j = joints[joint].parent;
  while (j >= 0 && j !== above) j = joints[j].parent;
  return j === above;
}

/** So few pairs do not outvote a surface that is like its mirror image. */
const FEW_PAIRS = 3;
const MIRRORED_SHARE = 0.6;

/** The axis along which named pairs lie apart, and the middle between them; the surface's where they are too few. */
function findMiddle(
  partner: Int32Array,
  places: Float32Array,
  plane: MiddlePlane,
): { axis: number; middle: number } {
  const apart = [0, 0, 0];
  const middles: number[][] = [[], [], []];
  partner.forEach((other, joint) => {
    if (other <= joint) return;
    for (let k = 0; k < 3; k++) {
      apart[k] += Math.abs(places[joint * 3 + k] - places[other * 3 + k]);
      middles[k].push((places[joint * 3 + k] + places[other * 3 + k]) / 2);
    }
  });
  const axis = apart.indexOf(Math.max(...apart));
  const count = middles[0].length;
  if (count === 0 || (count < FEW_PAIRS && plane.share >= MIRRORED_SHARE && axis !== plane.axis))
    return plane;
  const sorted = middles[axis].sort((a, b) => a - b);
  return { axis, middle: sorted[sorted.length >> 1] };
}

/**
 * Which end of the pairs' axis is left: 1 where the joints that are called left stand at the higher places, else −1.
 *
 * @param places 3·jointCount, in the space of the axis and the middle
 */
export function signOfLeft(
  { joints }: Skeleton,
  places: ArrayLike<number>,
  { axis, middle }: Pick<JointPairs, 'axis' | 'middle'>,
): 1 | -1 {
  let lean = 0;
  joints.forEach(({ side, removed }, joint) => {
    if (removed || side === 'middle') return;
    const offset = Math.sign(places[joint * 3 + axis] - middle);
    lean += side === 'left' ? offset : -offset;
  });
  return lean < 0 ? -1 : 1;
}

/**
 * Which side of the body each joint belongs to. A name alone makes no side: `Pelvis_L` may mean the lower one; a joint of a
 * side has a partner, or stands off the middle.
 *
 * @param places     Float32Array, 3·jointCount, in the space of the pairs' middle
 * @param tolerance  how far from the middle still counts as on it
 */
export function sidesOf(
  skeleton: Skeleton,
  places: Float32Array,
  pairs: JointPairs,
  tolerance: number,
): Side[] {
  const { axis, middle, partner } = pairs;
  const left = signOfLeft(skeleton, places, pairs);
  return skeleton.joints.map(({ side }, joint) => {
    const off = places[joint * 3 + axis] - middle;
    const hasPartner = partner[joint] >= 0 && partner[joint] !== joint;
    if (side !== 'middle') return hasPartner || Math.abs(off) > tolerance ? side : 'middle';
    if (!hasPartner) return 'middle';
    return off * left > 0 ? 'left' : 'right';
  });
}
