import {
  applySkeletonChange,
  buildPalette,
  type JointSetups,
  type Pose,
  poseWorld,
  rebind,
  type Skeleton,
  type SkeletonChange,
} from '@judoka/core/skeleton';
import { CoreError } from '@judoka/core/errors';
import { type Character, withJointSetups } from '@judoka/core/document';

/** Joints that may be added before a character must be opened anew: kernel memory is handed out once. */
const SPARE_JOINTS = 128;

/** Joints for which memory is held, for a skeleton that has this many. */
export const jointRoom = (jointCount: number): number => jointCount + SPARE_JOINTS;

/**
 * The skeleton at work, and what binds each part to it. Joints keep their indices for good; arrays by joint have room
 * for some more than there are.
 */
export class Rig {
  readonly #base: Character;
  readonly room: number;
  /** The character as it is now: the file's parts, bound to the joints as they stand. */
  character: Character;
  /** Inverse bind matrices a part, then its place: Float32Array, 16·(room + 1). */
  readonly #binds: readonly Float32Array[];

  constructor(base: Character, setups: JointSetups) {
    this.#base = base;
    this.character = withJointSetups(base, setups);
    this.room = jointRoom(this.skeleton.joints.length);
    this.#binds = base.parts.map(() => new Float32Array((this.room + 1) * 16));
    this.#layBinds();
  }

  get skeleton(): Skeleton {
    return this.character.skeleton;
  }

  /** @throws CoreError if the change does not fit, or there is no room for more joints */
  apply(change: SkeletonChange): void {
    if (change.some(({ joint }) => joint >= this.room))
      throw new CoreError(
        'argument-invalid',
        'There is no room for more joints now. Open the character again, then go on.',
      );
    this.#set(applySkeletonChange(this.skeleton, change));
  }

  #set(skeleton: Skeleton): void {
    const { parts } = this.character;
    this.character = {
      ...this.character,
      skeleton,
      parts: parts.map((part, i) => ({
        ...part,
        inverseBinds: rebind(this.#base.parts[i].inverseBinds, this.#base.skeleton, skeleton),
      })),
    };
    this.#layBinds();
  }

  #layBinds(): void {
    this.character.parts.forEach(({ inverseBinds }, i) => {
      this.#binds[i].set(inverseBinds.subarray(0, inverseBinds.length - 16));
      this.#binds[i].set(inverseBinds.subarray(inverseBinds.length - 16), this.room * 16);
    });
  }

  /** World matrices in a pose: Float32Array, 16·room. */
  pose(pose: Pose, world: Float32Array): void {
    poseWorld(this.skeleton, pose, world);
  }

  /** What skinning blends, of one part: Float32Array, 16·(room + 1). */
  palette(part: number, world: Float32Array, palette: Float32Array): void {
    buildPalette(world, this.#binds[part], palette);
  }
}
