/**
 * Why a patch of weight does not belong.
 *
 * - `root`    on a root that no part of the body lies about, or on a joint whose deforming is off
 * - `across`  on the other side of the body than its joint
 * - `tiny`    leftovers too small to be seen
 * - `alone`   one point or two, unlike all of their neighbours, also where the joint is a near relative of theirs
 * - `far`     the joint's only weight, but far from its bone and among joints of another limb
 * - `apart`   in a patch apart from the joint's main region, among joints of another limb
 */
export const STRAY_KINDS = ['root', 'across', 'apart', 'far', 'alone', 'tiny'] as const;
export type StrayKind = (typeof STRAY_KINDS)[number];

/** A patch of one joint's weight that does not belong there. */
export interface Stray {
  readonly part: number;
  readonly joint: number;
  readonly kind: StrayKind;
  /** Points of the part, rising. */
  readonly points: Uint32Array;
  /** The patch's weight, in points. */
  readonly mass: number;
  /** Whether its like lies on the other side of the body: then it may be meant. */
  readonly twin: boolean;
}

/** A stray is one that was said to be meant as long as this share of its points is. */
const SAME_SHARE = 0.8;

/** Whether points that were said to be meant are those of a stray, or nearly. */
export function coversStray(
  {
    part,
    joint,
    points,
  }: { readonly part: number; readonly joint: number; readonly points: readonly number[] },
  stray: Pick<Stray, 'part' | 'joint' | 'points'>,
): boolean {
  if (part !== stray.part || joint !== stray.joint) return false;
  const held = new Set(points);
  return stray.points.filter((p) => held.has(p)).length >= SAME_SHARE * stray.points.length;
}
