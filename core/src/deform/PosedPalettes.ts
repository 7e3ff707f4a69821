import { poseWorld, type Pose } from '../skeleton/pose.ts';
import { subtreeOf, type Skeleton } from '../skeleton/skeleton.ts';

/** Numbers a matrix: its last row is always 0 0 0 1. */
export const AFFINE = 12;

/** Poses of a skeleton that points are looked at in, with what each joint does to a part in each of them. */
export class PosedPalettes {
  readonly count: number;
  readonly jointCount: number;
  readonly #worlds: Float32Array;
  /** By pose: the joints that it moves against the rest; undefined where several joints are posed. */
  readonly #moved: readonly (Uint8Array | undefined)[];

  constructor(skeleton: Skeleton, poses: readonly Pose[]) {
    this.count = poses.length;
    this.jointCount = skeleton.joints.length;
    const size = this.jointCount * 16;
    this.#worlds = new Float32Array(size * poses.length);
    const below = new Map<number, Uint8Array>();
    this.#moved = poses.map((pose, k) => {
      poseWorld(skeleton, pose, this.#worlds.subarray(k * size, (k + 1) * size));
      const posed = Object.keys(pose).map(Number);
      if (posed.length !== 1) return undefined;
      const [joint] = posed;
      let own = below.get(joint);
      if (!own) {
        own = new Uint8Array(this.jointCount);
        for (const each of subtreeOf(skeleton, joint)) own[each] = 1;
        below.set(joint, own);
      }
      return own;
    });
  }

  /** By pose: 1 for each joint that it moves against the others; undefined where any may. */
  movedIn(pose: number): Uint8Array | undefined {
    return this.#moved[pose];
  }

  /**
   * What joints do to a part: Float32Array, {@link AFFINE}·jointCount a pose, the upper three rows column by column, part space
   * → scene space.
   * @param inverseBinds the part's, 16 a joint
   */
  palettesOf(inverseBinds: Float32Array): Float32Array {
    const [joints, size] = [this.jointCount, this.jointCount * 16];
    const palettes = new Float32Array(joints * AFFINE * this.count);
    const worlds = this.#worlds;
    for (let k = 0; k < this.count; k++)
      for (let joint = 0; joint < joints; joint++) {
        const [a, to] = [k * size + joint * 16, (k * joints + joint) * AFFINE];
        for (let column = 0; column < 4; column++) {
          const from = joint * 16 + column * 4;
          const [x, y, z] = [inverseBinds[from], inverseBinds[from + 1], inverseBinds[from + 2]];
          const w = column === 3 ? 1 : 0;
          const at = to + column * 3;
          palettes[at] = worlds[a] * x + worlds[a + 4] * y + worlds[a + 8] * z + worlds[a + 12] * w;
          palettes[at + 1] = worlds[a + 1] * x + worlds[a + 5] * y + worlds[a + 9] * z + worlds[a + 13] * w;
          palettes[at + 2] = worlds[a + 2] * x + worlds[a + 6] * y + worlds[a + 10] * z + worlds[a + 14] * w;
        }
      }
    return palettes;
  }
}
