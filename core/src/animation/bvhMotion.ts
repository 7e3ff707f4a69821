import { fileJointId, type Joint, sideOfName, type Skeleton } from '../skeleton/skeleton.ts';

export const BVH_CHANNELS = [
  'Xposition',
  'Yposition',
  'Zposition',
  'Xrotation',
  'Yrotation',
  'Zrotation',
] as const;
export type BvhChannel = (typeof BVH_CHANNELS)[number];

export interface BvhJoint {
  readonly name: string;
  /** -1 for a root. */
  readonly parent: number;
  readonly offset: readonly [number, number, number];
  readonly channels: readonly BvhChannel[];
  /** Where a bone without a joint behind it ends. */
  readonly end?: readonly [number, number, number];
}

/** A motion as a `.bvh` file has it. */
export interface Bvh {
  readonly joints: readonly BvhJoint[];
  readonly frames: number;
  readonly frameSeconds: number;
  /** Float32Array, channels a frame, in the order of joints and their channels. */
  readonly values: Float32Array;
}

/** The skeleton of a motion, at rest as its offsets say. */
export function skeletonOfBvh({ joints }: Pick<Bvh, 'joints'>): Skeleton {
  return {
    joints: joints.map(({ name, parent, offset }, index): Joint => ({
      id: fileJointId(index),
      name,
      named: true,
      parent,
      side: sideOfName(name),
      offset: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
      translation: offset,
      rotation: [0, 0, 0, 1],
      scale: [1, 1, 1],
      node: -1,
    })),
  };
}
