import { childrenOf, type Skeleton } from '../skeleton/skeleton.ts';
import { createRows, type WeightRows } from '../weights/rows.ts';
import type { Reach } from './insideDistance.ts';

/** Joints one behind the other at even spaces, as in a neck, a tail or a rope. */
export interface Chains {
  /** Int32Array, jointCount: number of the chain, -1 for a joint in none. */
  readonly ofJoint: Int32Array;
  /** Float32Array, jointCount: length of the joint's bone. */
  readonly lengths: Float32Array;
  /** Whether nearly all joints are in chains: the whole thing is a rope. */
  readonly ropes: boolean;
}

const FEWEST_LINKS = 5;
const UNEVEN = 1.4;
const STRAIGHT_COSINE = Math.cos((35 * Math.PI) / 180);
const ROPE_SHARE = 0.8;

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
  return { ofJoint, lengths, ropes: linked >= ROPE_SHARE * joints.length };
}

/** How soft borders are between the joints of a chain, in lengths of its bones; more so where all is one rope. */
const CHAIN_SOFTNESS = 0.5;
const ROPE_SOFTNESS = 1;

/** Shares below this do not count. */
const LEAST_SHARE = 1e-4;

/**
 * By joint: how many times the nearest joint's distance it may be away and still get a share from {@link blendReach}.
 * Joints of chains, whose borders are as wide as their bones are long, have it wide.
 */
export function farthestShares({ ofJoint }: Chains, softness: number, most: number): Float64Array {
  const beyond = softness * Math.sqrt(-Math.log(LEAST_SHARE));
  const plain = Math.min(most, Math.sqrt(1 + beyond * beyond));
  return Float64Array.from(ofJoint, (chain) => (chain < 0 ? plain : most));
}

/**
 * Weights out of distances: a border between two joints is as wide as the limb is thick there, times `softness`.
 *
 * With q the ratio of a joint's distance to the nearest one's, r·√(q² − 1) is how far the point lies beyond the border
 * (exactly so along a tube of radius r around two bones end to end); the weight falls off with it as a bell.
 */
export function blendReach(reach: Reach, chains: Chains, softness: number): WeightRows {
  const { width, pointCount, joints, distances, radii } = reach;
  const rows = createRows(pointCount, 8);
  const shares = new Float64Array(width);
  for (let p = 0; p < pointCount; p++) {
    const first = p * width;
    if (distances[first] === Infinity) continue;
    const nearest = joints[first];
    const radius = Math.max(radii[p], 1e-12);
    let sum = 0;
    let used = 0;
    for (let k = 0; k < width && used < 8 && distances[first + k] !== Infinity; k++) {
      const ratio = distances[first] > 0 ? distances[first + k] / distances[first] : k === 0 ? 1 : Infinity;
      const beyond = radius * Math.sqrt(Math.max(0, ratio * ratio - 1));
      const border = Math.max(softness * radius, chainBorder(chains, nearest, joints[first + k], softness));
      const share = Math.exp(-((beyond / border) ** 2));
      if (!(share > LEAST_SHARE)) {
        shares[k] = 0;
        continue;
      }
      shares[k] = share;
      sum += share;
      used++;
    }
    let slot = p * 8;
    for (let k = 0; k < width && slot < p * 8 + used; k++) {
      if (shares[k] === 0 || distances[first + k] === Infinity) continue;
      rows.joints[slot] = joints[first + k];
      rows.values[slot++] = shares[k] / sum;
      shares[k] = 0;
    }
  }
  return rows;
}

function chainBorder({ ofJoint, lengths, ropes }: Chains, a: number, b: number, softness: number): number {
  if (ofJoint[a] < 0 || ofJoint[a] !== ofJoint[b]) return 0;
  const share = (ropes ? ROPE_SOFTNESS : CHAIN_SOFTNESS) * (softness / DEFAULT_SOFTNESS);
  return (share * (lengths[a] + lengths[b])) / 2;
}

/** Softness where none is asked for: borders are narrow, most points follow one joint. */
export const DEFAULT_SOFTNESS = 0.25;
