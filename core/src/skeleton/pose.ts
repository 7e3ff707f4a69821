import { mat4, quat, vec3 } from 'gl-matrix';
import { multiplyAt } from '../math/matrix.ts';
import { parentsFirst, type Skeleton } from './skeleton.ts';

/** What one joint does away from rest, in its own frame: turned after its rest rotation, moved, scaled. */
export interface JointPose {
  /** Unit quaternion x, y, z, w; the joint's local rotation is rest · rotation. */
  readonly rotation: readonly [number, number, number, number];
  /** Added to the rest translation, in the parent's units. */
  readonly translation: readonly [number, number, number];
  /** Multiplies the rest scale. */
  readonly scale: readonly [number, number, number];
}

/** Joints away from rest, by joint index. A joint that is missing is at rest. */
export type Pose = Readonly<Record<number, JointPose>>;

export const REST_JOINT: JointPose = { rotation: [0, 0, 0, 1], translation: [0, 0, 0], scale: [1, 1, 1] };
export const REST_POSE: Pose = {};

/** World matrices in a pose, column-major, into `world` (Float32Array, 16·jointCount or more). */
export function poseWorld(skeleton: Skeleton, pose: Pose, world: Float32Array): void {
  const local = mat4.create();
  const rotation = quat.create();
  const translation = vec3.create();
  const scale = vec3.create();
  for (const index of parentsFirst(skeleton)) {
    const joint = skeleton.joints[index];
    const moved = pose[index] ?? REST_JOINT;
    quat.multiply(rotation, joint.rotation, moved.rotation);
    vec3.add(translation, joint.translation, moved.translation);
    vec3.multiply(scale, joint.scale, moved.scale);
    mat4.fromRotationTranslationScale(local, rotation, translation, scale);
    const at = world.subarray(index * 16, index * 16 + 16);
    mat4.multiply(at, joint.offset, local);
    if (joint.parent >= 0) multiplyAt(world, index * 16, world, joint.parent * 16, world, index * 16);
  }
}

/**
 * The matrices that skinning blends: world · inverse bind for each joint; the last one, for unweighted points, is the
 * part's own rest transform.
 *
 * @param inverseBinds Float32Array, 16·(jointCount + 1): the part's inverse bind matrices, then its rest transform
 * @param palette      Float32Array, 16·(jointCount + 1): the result
 */
export function buildPalette(world: Float32Array, inverseBinds: Float32Array, palette: Float32Array): void {
  for (let at = 0; at < world.length; at += 16) multiplyAt(palette, at, world, at, inverseBinds, at);
  palette.set(inverseBinds.subarray(world.length, world.length + 16), world.length);
}

/** The same pose with one joint changed; a joint that is back at rest is left out. */
export function withJoint(pose: Pose, joint: number, change: Partial<JointPose>): Pose {
  const next: JointPose = { ...(pose[joint] ?? REST_JOINT), ...change };
  if (!isRest(next)) return { ...pose, [joint]: next };
  const { [joint]: _left, ...others } = pose;
  return others;
}

function isRest({ rotation, translation, scale }: JointPose): boolean {
  const tiny = 1e-9;
  return (
    Math.hypot(rotation[0], rotation[1], rotation[2]) < tiny &&
    Math.hypot(...translation) < tiny &&
    scale.every((s) => Math.abs(s - 1) < tiny)
  );
}

/** Turns about x, then y, then z of the joint's frame, in degrees, as one unit quaternion (R = Rx · Ry · Rz). */
export function rotationFromAngles([x, y, z]: readonly [number, number, number]): [
  number,
  number,
  number,
  number,
] {
  const half = Math.PI / 360;
  const qx: quat = [Math.sin(x * half), 0, 0, Math.cos(x * half)];
  const qy: quat = [0, Math.sin(y * half), 0, Math.cos(y * half)];
  const qz: quat = [0, 0, Math.sin(z * half), Math.cos(z * half)];
  const out = quat.create();
  quat.multiply(out, qx, qy);
  quat.multiply(out, out, qz);
  return [out[0], out[1], out[2], out[3]];
}

/** The angles in degrees that {@link rotationFromAngles} would need; y lies in −90..90. */
export function anglesFromRotation([x, y, z, w]: readonly [number, number, number, number]): [
  number,
  number,
  number,
] {
  const m02 = 2 * (x * z + w * y);
  const degrees = 180 / Math.PI;
  if (Math.abs(m02) > 0.999999) {
    // Looking along the middle axis, x and z turn about the same line: give it all to x.
    const m10 = 2 * (x * y + w * z);
    const m11 = 1 - 2 * (x * x + z * z);
    return [Math.atan2(m10, m11) * Math.sign(m02) * degrees, 90 * Math.sign(m02), 0];
  }
  const m12 = 2 * (y * z - w * x);
  const m22 = 1 - 2 * (x * x + y * y);
  const m01 = 2 * (x * y - w * z);
  const m00 = 1 - 2 * (y * y + z * z);
  return [Math.atan2(-m12, m22) * degrees, Math.asin(m02) * degrees, Math.atan2(-m01, m00) * degrees];
}

export type Axis = 'x' | 'y' | 'z';

/** A joint's pose turned on by `degrees` about one of its own axes. */
export function turned(joint: JointPose, axis: Axis, degrees: number): JointPose {
  const half = (degrees * Math.PI) / 360;
  const turn: quat = [0, 0, 0, Math.cos(half)];
  turn['xyz'.indexOf(axis)] = Math.sin(half);
  const out = quat.create();
  quat.multiply(out, joint.rotation, turn);
  return { ...joint, rotation: [out[0], out[1], out[2], out[3]] };
}
