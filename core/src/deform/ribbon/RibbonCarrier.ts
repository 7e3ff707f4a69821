import { mat4 } from 'gl-matrix';
import { decompose } from '../../skeleton/editSkeleton.ts';
import { type JointPose, type Pose, poseWorld, REST_JOINT } from '../../skeleton/pose.ts';
import { restWorld, type Skeleton } from '../../skeleton/skeleton.ts';
import type { Ribbon } from './Ribbon.ts';
import { FRAMES } from './ribbonCurve.ts';
import { RibbonPoser, restCurve, sharesAlong } from './RibbonPoser.ts';

/** How a joint of a ribbon's own stands at rest, in the scene, and the joint of the chain that it hangs on. */
export interface OwnJointPlace {
  readonly world: mat4;
  readonly parent: number;
}

/** The frames that so many joints of a ribbon's own stand at, from its start to its end. */
export function framesOfOwnJoints(count: number): number[] {
  return Array.from({ length: count }, (_, i) => Math.round((i * (FRAMES - 1)) / (count - 1)));
}

/** By joint of a ribbon's own: how far along it stands, 0..1. */
export const sharesOfOwnJoints = (count: number): number[] =>
  framesOfOwnJoints(count).map((frame) => frame / (FRAMES - 1));

/**
 * Where joints of a ribbon’s own belong: on its curve, their second axis along it, each below the joint of the chain that it is
 * behind.
 * @param chain where the ribbon's chain runs at rest, see {@link chainPlaces}
 */
export function ownJointPlaces(ribbon: Ribbon, chain: Float64Array, count: number): OwnJointPlace[] {
  const { places, tangents, normals } = restCurve(ribbon, chain);
  const stands = sharesAlong(chain);
  return framesOfOwnJoints(count).map((frame) => {
    const at = frame * 3;
    const [place, t, n] = [places, tangents, normals].map((of) => [...of.subarray(at, at + 3)]);
    const across = [t[1] * n[2] - t[2] * n[1], t[2] * n[0] - t[0] * n[2], t[0] * n[1] - t[1] * n[0]];
    const passed = ribbon.joints.filter((_, j) => stands[j] <= frame / (FRAMES - 1) + 1e-9);
    const world = mat4.fromValues(
      ...([across[0], across[1], across[2], 0, t[0], t[1], t[2], 0] as const),
      ...([n[0], n[1], n[2], 0, place[0], place[1], place[2], 1] as const),
    );
    return { world, parent: passed[passed.length - 1] ?? ribbon.joints[0] };
  });
}

/** Moves joints of a ribbon's own as it goes, in any pose of the skeleton. */
export class RibbonCarrier {
  readonly #skeleton: Skeleton;
  readonly #ribbon: Ribbon;
  readonly #poser: RibbonPoser;
  readonly #rest: Float32Array;
  /** By joint of the chain, what takes it back from where it rests. */
  readonly #backs: readonly mat4[];
  readonly #world: Float32Array;
  readonly #palette: Float32Array;

  /** @param chain where its chain runs at rest, see {@link chainPlaces} */
  constructor(skeleton: Skeleton, ribbon: Ribbon, chain: Float64Array) {
    this.#skeleton = skeleton;
    this.#ribbon = ribbon;
    const none = new Float32Array(0);
    this.#poser = new RibbonPoser({ ribbon, chain, shares: none, amounts: none, scale: 1 });
    this.#rest = restWorld(skeleton);
    this.#world = new Float32Array(this.#rest.length);
    this.#palette = new Float32Array(this.#rest.length);
    this.#backs = ribbon.joints.map(
      (joint) => mat4.invert(mat4.create(), matrixAt(this.#rest, joint)) ?? mat4.create(),
    );
  }

  /** How its own joints stand away from rest where the others stand so. */
  poseOf(pose: Pose): Pose {
    const { ownJoints = [], joints } = this.#ribbon;
    poseWorld(this.#skeleton, pose, this.#world);
    joints.forEach((joint, j) => {
      const moved = matrixAt(this.#palette, joint);
      mat4.multiply(moved, matrixAt(this.#world, joint), this.#backs[j]);
    });
    this.#poser.pose(this.#palette);
    const frames = framesOfOwnJoints(ownJoints.length);
    return Object.fromEntries(ownJoints.map((joint, i) => [joint, this.#jointAt(joint, frames[i])]));
  }

  #jointAt(joint: number, frame: number): JointPose {
    const { parent, offset, translation, rotation, scale } = this.#skeleton.joints[joint];
    const m = this.#poser.frame(frame);
    const goal = mat4.fromValues(
      ...([m[0], m[1], m[2], 0, m[3], m[4], m[5], 0] as const),
      ...([m[6], m[7], m[8], 0, m[9], m[10], m[11], 1] as const),
    );
    mat4.multiply(goal, goal, matrixAt(this.#rest, joint));
    const above = mat4.clone(offset);
    if (parent >= 0) mat4.multiply(above, matrixAt(this.#world, parent), above);
    if (!mat4.invert(above, above)) return REST_JOINT;
    const own = decompose(mat4.multiply(goal, above, goal));
    return {
      rotation: times(inverse(rotation), own.rotation),
      translation: [
        own.translation[0] - translation[0],
        own.translation[1] - translation[1],
        own.translation[2] - translation[2],
      ],
      scale: [own.scale[0] / (scale[0] || 1), own.scale[1] / (scale[1] || 1), own.scale[2] / (scale[2] || 1)],
    };
  }
}

const matrixAt = (matrices: Float32Array, joint: number): mat4 =>
  matrices.subarray(joint * 16, joint * 16 + 16);

type Turn = readonly [number, number, number, number] | readonly number[];

const inverse = ([x, y, z, w]: Turn): Turn => [-x, -y, -z, w];

function times([ax, ay, az, aw]: Turn, [bx, by, bz, bw]: Turn): [number, number, number, number] {
  return [
    ax * bw + aw * bx + ay * bz - az * by,
    ay * bw + aw * by + az * bx - ax * bz,
    az * bw + aw * bz + ax * by - ay * bx,
    aw * bw - ax * bx - ay * by - az * bz,
  ];
}
