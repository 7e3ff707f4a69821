import { mat3, mat4, quat, vec3 } from 'gl-matrix';
import type { JointPairs } from './pairs.ts';
import { REST_JOINT, withJoint, type JointPose, type Pose } from './pose.ts';
import type { Vec3 } from '../math/vector.ts';
import { restWorld, subtreeOf, type Skeleton } from './skeleton.ts';

type Quaternion = JointPose['rotation'];

/** A joint's pose turned on by `degrees` about an axis of the scene. `world` are the pose's world matrices. */
export function turnedInScene(
  pose: JointPose,
  world: Float32Array,
  joint: number,
  axis: Vec3,
  degrees: number,
): JointPose {
  const turn = quat.setAxisAngle(
    quat.create(),
    quatApply(quat.conjugate(quat.create(), frameOf(world, joint)), axis),
    (degrees * Math.PI) / 180,
  );
  const [x, y, z, w] = quat.normalize(turn, quat.multiply(turn, pose.rotation, turn));
  return { ...pose, rotation: [x, y, z, w] };
}

/** A joint's pose moved on by a move of the scene. */
export function movedInScene(
  { joints }: Skeleton,
  pose: JointPose,
  world: Float32Array,
  joint: number,
  move: Vec3,
): JointPose {
  const { parent, offset } = joints[joint];
  const above = mat4.clone(offset);
  if (parent >= 0) mat4.multiply(above, world.subarray(parent * 16, parent * 16 + 16), above);
  const linear = mat3.fromMat4(mat3.create(), above);
  if (!mat3.invert(linear, linear)) return pose;
  const [x, y, z] = vec3.transformMat3([0, 0, 0], move, linear);
  const [tx, ty, tz] = pose.translation;
  return { ...pose, translation: [tx + x, ty + y, tz + z] };
}

/** The pose with a joint and all below it at rest. */
export function withChainAtRest(skeleton: Skeleton, pose: Pose, joint: number): Pose {
  return subtreeOf(skeleton, joint).reduce((rest, each) => withJoint(rest, each, REST_JOINT), pose);
}

/** What one side's joints do, done by their partners too, as in a mirror. Joints without a partner are left alone. */
export function mirrorPose(
  skeleton: Skeleton,
  pose: Pose,
  { partner, axis }: Pick<JointPairs, 'partner' | 'axis'>,
  joints: readonly number[],
): Pose {
  const world = restWorld(skeleton);
  return joints.reduce((next, joint) => {
    const other = partner[joint];
    if (other < 0 || other === joint) return next;
    return withJoint(
      next,
      other,
      mirroredJoint(skeleton, world, pose[joint] ?? REST_JOINT, joint, other, axis),
    );
  }, pose);
}

/**
 * A whole pose as in a mirror: every joint does what its partner did, those of the middle what they did themselves, all
 * mirrored. Joints without a partner stay as they are.
 */
export function mirrorWholePose(
  skeleton: Skeleton,
  pose: Pose,
  { partner, axis }: Pick<JointPairs, 'partner' | 'axis'>,
): Pose {
  const world = restWorld(skeleton);
  return skeleton.joints.reduce((next, _, joint) => {
    const other = partner[joint];
    if (other < 0) return next;
    const own = pose[joint] ?? REST_JOINT;
    return withJoint(next, other, mirroredJoint(skeleton, world, own, joint, other, axis));
  }, pose);
}

function mirroredJoint(
  { joints }: Skeleton,
  world: Float32Array,
  { rotation, translation, scale }: JointPose,
  joint: number,
  other: number,
  axis: number,
): JointPose {
  const [from, to] = [frameOf(world, joint), frameOf(world, other)];
  // The turn as the scene sees it, seen in the mirror, as the partner's frame sees it.
  const seen = quat.multiply(quat.create(), from, rotation);
  quat.multiply(seen, seen, quat.conjugate(quat.create(), from));
  for (let k = 0; k < 3; k++) if (k !== axis) seen[k] = -seen[k];
  const own = quat.multiply(quat.create(), quat.conjugate(quat.create(), to), seen);
  quat.multiply(own, own, to);
  const [x, y, z, w] = quat.normalize(own, own);
  return {
    rotation: [x, y, z, w],
    translation: mirroredMove(joints, world, translation, joint, other, axis),
    scale: mirroredScale(from, to, scale, axis),
  };
}

function mirroredMove(
  joints: Skeleton['joints'],
  world: Float32Array,
  move: Vec3,
  joint: number,
  other: number,
  axis: number,
): [number, number, number] {
  const above = (j: number): mat3 => {
    const { parent, offset } = joints[j];
    const matrix = mat4.clone(offset);
    if (parent >= 0) mat4.multiply(matrix, world.subarray(parent * 16, parent * 16 + 16), matrix);
    return mat3.fromMat4(mat3.create(), matrix);
  };
  const seen = vec3.transformMat3(vec3.create(), move, above(joint));
  seen[axis] = -seen[axis];
  const back = mat3.invert(mat3.create(), above(other));
  if (!back) return [0, 0, 0];
  const [x, y, z] = vec3.transformMat3(seen, seen, back);
  return [x, y, z];
}

/** Each axis of the partner takes the scale of the axis that lies along it in the mirror. */
function mirroredScale(from: quat, to: quat, scale: Vec3, axis: number): [number, number, number] {
  const unit = (k: number): Vec3 => [k === 0 ? 1 : 0, k === 1 ? 1 : 0, k === 2 ? 1 : 0];
  const of = (k: number): number => {
    const own = quatApply(to, unit(k));
    let best = k;
    let most = -1;
    for (let i = 0; i < 3; i++) {
      const seen = vec3.clone(quatApply(from, unit(i)));
      seen[axis] = -seen[axis];
      const along = Math.abs(vec3.dot(seen, own));
      if (along > most) [best, most] = [i, along];
    }
    return scale[best];
  };
  return [of(0), of(1), of(2)];
}

/** The turn of a joint's frame in the scene; its scale left out. */
function frameOf(world: Float32Array, joint: number): quat {
  const m = mat4.clone(world.subarray(joint * 16, joint * 16 + 16));
  const flip = mat4.determinant(m) < 0 ? -1 : 1;
  for (let axis = 0; axis < 3; axis++) {
    const length = Math.hypot(m[axis * 4], m[axis * 4 + 1], m[axis * 4 + 2]) || 1;
    for (let k = 0; k < 3; k++) m[axis * 4 + k] *= (axis === 0 ? flip : 1) / length;
  }
  return quat.normalize(quat.create(), mat4.getRotation(quat.create(), m));
}

function quatApply(turn: quat | Quaternion, [x, y, z]: Vec3): Vec3 {
  const out = vec3.transformQuat(vec3.create(), [x, y, z], turn);
  return [out[0], out[1], out[2]];
}
