import { kernelFace } from '../../memory/kernelFace.ts';
import type { Chains } from '../../skeleton/chains.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { blendRows } from './blendRows.ts';
import {
  boxPoints,
  keepBones,
  nearestBones,
  weighSlots,
  type BoxGrid,
  type NearestWork,
} from './nearestBones.ts';
import type { NearestJoints } from './nearestJoints.ts';

/** The hot loops of a first binding; see the plain twins for what they do. */
export interface BindKernels {
  boxPoints(positions: Float32Array, grid: BoxGrid, keys: Int32Array): void;
  /** @returns how many bones are kept */
  keepBones(work: NearestWork, x: number, y: number, z: number, radius: number): number;
  nearestBones(work: NearestWork, from: number, to: number, keptCount: number): void;
  weighSlots(nearest: NearestJoints, from: number, to: number, factors: Float64Array): void;
  blendRows(
    nearest: NearestJoints,
    chains: Chains,
    softness: number,
    leastShare: number,
    rows: WeightRows,
  ): void;
}

const plain: BindKernels = { boxPoints, keepBones, nearestBones, weighSlots, blendRows };

export const bindKernels = kernelFace<BindKernels>(plain, (run, at) => ({
  boxPoints(positions, { least, size, counts }, keys) {
    run.boxPoints(at(positions), keys.length, ...least, size, ...counts, at(keys));
  },
  keepBones: ({ bones, kept, far, near, jointCount, ranges, lower }, x, y, z, radius) =>
    run.keepBones(
      x,
      y,
      z,
      radius,
      bones.count,
      at(bones.joints),
      at(bones.ends),
      at(ranges),
      at(far),
      at(near),
      jointCount,
      at(kept),
      at(lower),
    ),
  nearestBones({ bones, nearest, jointCount, ...work }, from, to, keptCount) {
    run.nearestBones(
      at(work.members),
      from,
      to,
      at(work.positions),
      at(work.kept),
      keptCount,
      at(bones.joints),
      at(bones.ends),
      at(bones.factors),
      at(work.far),
      at(work.near),
      jointCount,
      nearest.width,
      at(nearest.joints),
      at(nearest.distances),
      at(nearest.radii),
      at(work.lengths),
      at(work.distances),
    );
  },
  weighSlots({ width, joints, distances }, from, to, factors) {
    run.weighSlots(from, to, width, at(joints), at(distances), at(factors));
  },
  blendRows(
    { pointCount, width, joints, distances, radii },
    { ofJoint, lengths, softness: chainSoftness },
    softness,
    leastShare,
    rows,
  ) {
    run.blendRows(
      pointCount,
      width,
      at(joints),
      at(distances),
      at(radii),
      at(ofJoint),
      at(lengths),
      softness,
      chainSoftness * softness,
      leastShare,
      at(rows.joints),
      at(rows.values),
    );
  },
}));
