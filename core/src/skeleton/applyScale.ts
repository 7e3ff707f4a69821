import { mat4 } from 'gl-matrix';
import { parentsFirst, restWorld, type Skeleton } from './skeleton.ts';
import { changeOf, setupOf, type SkeletonChange } from './skeletonChange.ts';

/** Scales that differ by less than this share are the same along all axes. */
const UNIFORM = 1e-3;

const isUniform = ([x, y, z]: readonly number[]): boolean =>
  x > 0 && Math.abs(y - x) <= UNIFORM * x && Math.abs(z - x) <= UNIFORM * x;

/** The scale of what a root stands in, as its file has it: the lengths of the axes of its offset. */
function offsetScale(offset: readonly number[]): number[] {
  return [0, 4, 8].map((at) => Math.hypot(offset[at], offset[at + 1], offset[at + 2]));
}

/**
 * Takes scales out of joints and of what their roots stand in, as far as they are the same along all axes: lengths below
 * are multiplied instead. Every joint stays where it stands, turned as it is; a scale that differs by axis stays.
 */
export function applyScale(skeleton: Skeleton): SkeletonChange {
  const { joints } = skeleton;
  /** By joint: the scale that was taken out of its frame, and is in what hangs below instead. */
  const taken = new Float64Array(joints.length).fill(1);
  const change: SkeletonChange[number][] = [];
  for (const joint of parentsFirst(skeleton)) {
    const { parent, removed } = joints[joint];
    if (removed) continue;
    const setup = setupOf(joints[joint]);
    const offset = [...setup.offset];
    let above = parent >= 0 ? taken[parent] : 1;
    for (let k = 12; k < 15; k++) offset[k] *= above;
    const own = offsetScale(offset);
    if (parent < 0 && isUniform(own) && Math.abs(own[0] - 1) > UNIFORM) {
      [above] = own;
      for (let k = 0; k < 12; k++) offset[k] /= above;
    }
    const [x, y, z] = setup.translation;
    const [sx, sy, sz] = setup.scale;
    const scale: [number, number, number] = [sx * above, sy * above, sz * above];
    const goes = isUniform(scale);
    taken[joint] = goes ? scale[0] : 1;
    change.push(
      ...changeOf(skeleton, joint, {
        ...setup,
        offset,
        translation: [x * above, y * above, z * above],
        scale: goes ? [1, 1, 1] : scale,
      }),
    );
  }
  return change;
}

/**
 * By joint: what lengths that were said in its parent's frame are to be multiplied by, where a skeleton was scaled or its
 * scales were applied. Float64Array, jointCount of `after`.
 */
export function lengthFactors(before: Skeleton, after: Skeleton): Float64Array {
  const [was, is] = [restWorld(before), restWorld(after)];
  const common = commonFactor(before, after);
  const scaleOf = (world: Float32Array, joint: number): number =>
    joint < 0 ? 1 : Math.cbrt(Math.abs(mat4.determinant(world.subarray(joint * 16, joint * 16 + 16)))) || 1;
  return Float64Array.from(after.joints, ({ removed }, joint) => {
    const old = before.joints.at(joint);
    if (!old || removed || after.joints[joint].parent !== old.parent) return 1;
    const factor =
      (scaleOf(was, old.parent) * offsetFactor(old.offset)) /
      (scaleOf(is, old.parent) * offsetFactor(after.joints[joint].offset));
    return Math.abs(factor - 1) > 1e-4 ? factor : common;
  });
}

const offsetFactor = (offset: readonly number[]): number =>
  Math.cbrt(Math.abs(mat4.determinant(offset))) || 1;

/** The number that all lengths were multiplied by; 1 if there is none. */
function commonFactor(before: Skeleton, after: Skeleton): number {
  let factor = 0;
  for (const [joint, { translation: from }] of before.joints.entries()) {
    const { translation: to, removed } = after.joints[joint];
    if (removed) continue;
    for (let k = 0; k < 3; k++) {
      if (Math.abs(from[k]) < 1e-9 && Math.abs(to[k]) < 1e-9) continue;
      const own = to[k] / from[k];
      if (!Number.isFinite(own) || own <= 0 || (factor && Math.abs(own / factor - 1) > 1e-5)) return 1;
      factor ||= own;
    }
  }
  return factor || 1;
}
