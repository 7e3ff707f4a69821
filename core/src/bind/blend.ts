import { childrenOf, type Skeleton } from '../skeleton/skeleton.ts';
import type { Kernels } from '../kernels/kernels.ts';
import type { WeightRows } from '../weights/rows.ts';
import type { Reach } from './insideDistance.ts';

/** Joints one behind the other at even spaces, as in a neck, a tail or a rope. */
export interface Chains {
  /** Int32Array, jointCount: number of the chain, -1 for a joint in none. */
  readonly ofJoint: Int32Array;
  /** Float32Array, jointCount: length of the joint's bone. */
  readonly lengths: Float32Array;
  /** How wide a border between two joints of a chain is, in lengths of their bones, at a softness of one. */
  readonly softness: number;
}

const FEWEST_LINKS = 5;
const UNEVEN = 1.4;
const STRAIGHT_COSINE = Math.cos((35 * Math.PI) / 180);
/** From this share of joints in chains on, the whole thing is a rope. */
const ROPE_SHARE = 0.8;
/** How soft borders are between the joints of a chain, in lengths of its bones; more so where all is one rope. */
const CHAIN_SOFTNESS = 0.5;
const ROPE_SOFTNESS = 1;
/** Softness where none is asked for: borders are narrow, most points follow one joint. */
export const DEFAULT_SOFTNESS = 0.25;

/** Finds runs of at least five joints, each the only child, whose bones are about equally long and turn gently. */
export function findChains(skeleton: Skeleton, places: Float32Array): Chains {
  const { joints } = skeleton;
  const children = childrenOf(skeleton);
  const lengths = new Float32Array(joints.length);
  const way = (joint: number): number[] => {
    const next = children[joint].length === 1 ? children[joint][0] : joint;
    const from = next === joint ? joints[joint].parent : joint;
    return from < 0 ? [0, 0, 0] : [0, 1, 2].map((k) => places[next * 3 + k] - places[from * 3 + k]);
  };
  const ways = joints.map((_, joint) => way(joint));
  ways.forEach((w, joint) => (lengths[joint] = Math.hypot(...w)));
  const goesOn = (a: number, b: number): boolean => {
    const [la, lb] = [lengths[a], lengths[b]];
    if (la === 0 || lb === 0 || Math.max(la, lb) > UNEVEN * Math.min(la, lb)) return false;
    return ways[a].reduce((sum, x, k) => sum + x * ways[b][k], 0) > STRAIGHT_COSINE * la * lb;
  };
  const ofJoint = new Int32Array(joints.length).fill(-1);
  let chains = 0;
  let linked = 0;
  const close = (run: readonly number[]): void => {
    if (run.length < FEWEST_LINKS) return;
    for (const joint of run) ofJoint[joint] = chains;
    chains++;
    linked += run.length;
  };
  joints.forEach(({ parent }, start) => {
    if (parent >= 0 && children[parent].length === 1) return;
    let run = [start];
    for (let joint = start; children[joint].length === 1;) {
      const next = children[joint][0];
      if (!goesOn(joint, next)) {
        close(run);
        run = [];
      }
      run.push(next);
      joint = next;
    }
    close(run);
  });
  const share = linked >= ROPE_SHARE * joints.length ? ROPE_SOFTNESS : CHAIN_SOFTNESS;
  return { ofJoint, lengths, softness: share / DEFAULT_SOFTNESS };
}

/**
 * By joint: how many times the nearest joint's distance it may be away and still get at least such a share from
 * {@link blendReach}.
 * Joints of chains, whose borders are as wide as their bones are long, have it wide.
 */
export function farthestShares(
  { ofJoint }: Chains,
  softness: number,
  most: number,
  leastShare: number,
): Float64Array {
  const beyond = softness * Math.sqrt(-Math.log(leastShare));
  const plain = Math.min(most, Math.sqrt(1 + beyond * beyond));
  return Float64Array.from(ofJoint, (chain) => (chain < 0 ? plain : most));
}

/**
 * Weights out of distances: a border between two joints is as wide as the limb is thick there, times `softness`.
 *
 * With q the ratio of a joint's distance to the nearest one's, r·√(q² − 1) is how far the point lies beyond the border
 * (exactly so along a tube of radius r around two bones end to end); the weight falls off with it as a bell.
 *
 * @param reach      in the kernels' memory
 * @param leastShare shares of the nearest joint's below this do not count; at least a ten-thousandth
 */
export function blendReach(
  reach: Reach,
  chains: Chains,
  softness: number,
  leastShare: number,
  kernels: Kernels,
): WeightRows {
  const rows = kernels.rows(reach.pointCount, 8);
  const own: Chains = {
    ...chains,
    ofJoint: kernels.i32(chains.ofJoint.length),
    lengths: kernels.f32(chains.lengths.length),
  };
  own.ofJoint.set(chains.ofJoint);
  own.lengths.set(chains.lengths);
  kernels.blendRows(reach, own, softness, leastShare, rows);
  return rows;
}
