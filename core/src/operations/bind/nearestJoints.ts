import type { KernelMemory } from '../../memory/kernelMemory.ts';

/**
 * The nearest joints of each point. Rows of `width` slots, a row a point, rising by distance.
 * - `joints`     Uint16Array.
 * - `distances`  Float32Array: lengths counted by the bones' factors; Infinity in an unused slot.
 * - `radii`      Float32Array, pointCount: plain length to the nearest joint's bone.
 */
export interface NearestJoints {
  readonly width: number;
  readonly pointCount: number;
  readonly joints: Uint16Array;
  readonly distances: Float32Array;
  readonly radii: Float32Array;
}

/** A reach of empty rows in the kernels' memory. */
export function createNearestJoints(pointCount: number, width: number, memory: KernelMemory): NearestJoints {
  return {
    width,
    pointCount,
    joints: memory.u16(pointCount * width),
    distances: memory.f32(pointCount * width).fill(Infinity),
    radii: memory.f32(pointCount),
  };
}

/** Puts a joint into a point's row, which stays sorted; ties go to the lower joint. */
export function putJoint(reach: NearestJoints, point: number, joint: number, distance: number): void {
  const { width, joints, distances } = reach;
  const first = point * width;
  const rounded = Math.fround(distance);
  let end = first;
  while (end < first + width && distances[end] !== Infinity && joints[end] !== joint) end++;
  if (end < first + width && distances[end] !== Infinity && distances[end] <= rounded) return;
  if (end === first + width) {
    if (distances[end - 1] < rounded || (distances[end - 1] === rounded && joints[end - 1] < joint)) return;
    end--;
  }
  let k = end;
  for (; k > first; k--) {
    const before = distances[k - 1];
    if (before < rounded || (before === rounded && joints[k - 1] < joint)) break;
    distances[k] = before;
    joints[k] = joints[k - 1];
  }
  distances[k] = rounded;
  joints[k] = joint;
}
