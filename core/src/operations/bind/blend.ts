import type { Chains } from '../../skeleton/chains.ts';
import { createRowsIn, type WeightRows } from '../../weights/rows.ts';
import type { NearestJoints } from './nearestJoints.ts';
import { bindKernels } from './bindKernels.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';

/**
 * By joint: how many times the nearest joint's distance it may be away and still get at least such a share from
 * {@link blendNearest}.
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
export function blendNearest(
  reach: NearestJoints,
  chains: Chains,
  softness: number,
  leastShare: number,
  memory: KernelMemory,
): WeightRows {
  const rows = createRowsIn(memory, reach.pointCount, 8);
  const own: Chains = {
    ...chains,
    ofJoint: memory.i32(chains.ofJoint.length),
    lengths: memory.f32(chains.lengths.length),
  };
  own.ofJoint.set(chains.ofJoint);
  own.lengths.set(chains.lengths);
  bindKernels(memory).blendRows(reach, own, softness, leastShare, rows);
  return rows;
}
