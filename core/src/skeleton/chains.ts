import { DEFAULT_SOFTNESS } from './softness.ts';
import { childrenOf, type Skeleton } from './skeleton.ts';

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

/** Finds runs of at least five joints, each the only child, whose bones are about equally long and turn gently. */
export function findChains(skeleton: Skeleton, places: Float32Array): Chains {
  const { joints } = skeleton;
  const children = childrenOf(skeleton);
  const lengths = new Float32Array(joints.length);
  const directionOf = (joint: number): number[] => {
    const next = children[joint].length === 1 ? children[joint][0] : joint;
    const from = next === joint ? joints[joint].parent : joint;
    return from < 0 ? [0, 0, 0] : [0, 1, 2].map((k) => places[next * 3 + k] - places[from * 3 + k]);
  };
  const directions = joints.map((_, joint) => directionOf(joint));
  directions.forEach((w, joint) => (lengths[joint] = Math.hypot(...w)));
  const goesOn = (a: number, b: number): boolean => {
    const [la, lb] = [lengths[a], lengths[b]];
    if (la === 0 || lb === 0 || Math.max(la, lb) > UNEVEN * Math.min(la, lb)) return false;
    return directions[a].reduce((sum, x, k) => sum + x * directions[b][k], 0) > STRAIGHT_COSINE * la * lb;
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
