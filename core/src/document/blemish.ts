/**
 * What is wrong with how weights run over a surface.
 *
 * - `noise`  weights that jump up and down from point to point
 * - `hard`   two joints of a limb that meet within one edge, where others of the character blend
 */
export type BlemishKind = 'noise' | 'hard';

/** A place where weights run badly, and what is known for its cure. */
export interface Blemish {
  readonly kind: BlemishKind;
  readonly part: number;
  /** The joint whose weights are wrong most; at a hard border the one that is farther down the skeleton. */
  readonly joint: number;
  /** At a hard border, the joint on the other side of it; -1 for noise. */
  readonly other: number;
  /** Points of the part, rising: the noisy ones, or those on both sides of the border. */
  readonly points: Uint32Array;
  /** How much weight jumps there, 0..1. */
  readonly amount: number;
}
