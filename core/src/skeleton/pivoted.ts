import { mat3, mat4, vec3 } from 'gl-matrix';
import { poseWorld, type Pose, REST_JOINT, REST_POSE } from './pose.ts';
import type { Skeleton } from './skeleton.ts';

/**
 * A pose in which a joint turns about another place than its own, as if it had stood there when everything was bound to it.
 * @param offset from where the joint rests to that place, scene space
 */
export function pivoted(skeleton: Skeleton, pose: Pose, joint: number, offset: readonly number[]): Pose {
  const size = skeleton.joints.length * 16;
  const [rest, posed] = [new Float32Array(size), new Float32Array(size)];
  poseWorld(skeleton, REST_POSE, rest);
  poseWorld(skeleton, pose, posed);
  const at = (world: Float32Array, index: number): Float32Array =>
    world.subarray(index * 16, index * 16 + 16);
  const back = mat4.invert(mat4.create(), at(rest, joint));
  const { parent, offset: own } = skeleton.joints[joint];
  const above = mat4.clone(own);
  if (parent >= 0) mat4.multiply(above, at(posed, parent), above);
  const local = mat3.invert(mat3.create(), mat3.fromMat4(mat3.create(), above));
  if (!back || !local) return pose;
  const turn = mat3.fromMat4(mat3.create(), mat4.multiply(mat4.create(), at(posed, joint), back));
  const way: vec3 = [offset[0], offset[1], offset[2]];
  const moved = vec3.subtract(vec3.create(), way, vec3.transformMat3(vec3.create(), way, turn));
  vec3.transformMat3(moved, moved, local);
  const had = pose[joint] ?? REST_JOINT;
  const [x, y, z] = vec3.add(moved, moved, had.translation);
  return { ...pose, [joint]: { ...had, translation: [x, y, z] } };
}
