import {
  type Character,
  type DocumentSettings,
  sameJson,
  withJointSetups,
  withMovedPoints,
  withSkeleton,
  withSkinnedParts,
} from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import {
  buildPalette,
  type JointSetups,
  setupOf,
  type Pose,
  poseWorld,
  type Skeleton,
  withSetups,
} from '@judoka/core/skeleton';

/** Joints that may be added before a character must be opened anew: kernel memory is handed out once. */
const SPARE_JOINTS = 256;

/**
 * The skeleton at work, and what binds each part to it. Joints keep their numbers for good; arrays by joint have a
 * capacity for some more than there are.
 */
export class BoundCharacter {
  /** The file's parts with their points where they came, and where they are moved to at rest. */
  readonly #unmoved: Character;
  #base: Character;
  #moved: DocumentSettings['moved'];
  #skinned: ReadonlySet<number>;
  readonly jointCapacity: number;
  /** The character as it is now: the file's parts, bound to the joints as they stand. */
  character: Character;
  /** Inverse bind matrices a part, then its place: Float32Array, 16·(jointCapacity + 1). */
  readonly #binds: readonly Float32Array[];

  /** @param unmoved as it was read, with its points where they came */
  constructor(
    unmoved: Character,
    setups: JointSetups,
    { skinnedParts = new Set(), moved = {} }: Partial<Pick<DocumentSettings, 'skinnedParts' | 'moved'>> = {},
  ) {
    const base = withMovedPoints(unmoved, moved);
    this.#unmoved = unmoved;
    this.#base = base;
    this.#moved = moved;
    this.#skinned = skinnedParts;
    this.character = withSkinnedParts(withJointSetups(base, setups), skinnedParts);
    this.jointCapacity = this.skeleton.joints.length + SPARE_JOINTS;
    this.#binds = base.parts.map(() => new Float32Array((this.jointCapacity + 1) * 16));
    this.#layBinds();
  }

  get skeleton(): Skeleton {
    return this.character.skeleton;
  }

  /** The file's joints with others' setups: as they were at another time. */
  skeletonWith(setups: JointSetups): Skeleton {
    return withSetups(this.#base.skeleton, setups);
  }

  /** Joints that are not as the file has them: what this character was made with, were it opened now. */
  get setups(): JointSetups {
    const { joints } = this.#base.skeleton;
    return Object.fromEntries(
      this.skeleton.joints.flatMap((joint, i) =>
        joint === joints[i] ? [] : [[i, joint.removed ? null : setupOf(joint)]],
      ),
    );
  }

  /** @throws CoreError if there is no room for so many joints */
  checkCapacity({ joints }: Skeleton): void {
    if (joints.length > this.jointCapacity)
      throw new CoreError(
        'argument-invalid',
        'There is no room for more joints now. Open the character again, then go on.',
      );
  }

  /** Binds the parts to a skeleton that was checked. */
  bind(skeleton: Skeleton): void {
    this.character = withSkinnedParts(withSkeleton(this.#base, skeleton), this.#skinned);
    this.#layBinds();
  }

  /** Whether the file hangs a part on a node and gives it no weights. */
  isFixedInFile(part: number): boolean {
    return this.#base.parts[part].role === 'fixed';
  }

  /** Gives weights of their own to these parts and to no others that the file has none for. */
  setSkinnedParts(skinned: ReadonlySet<number>): void {
    this.#skinned = skinned;
    this.bind(this.skeleton);
  }

  /** Moves points at rest as a document says. @returns the parts that have other places now */
  setMoved(moved: DocumentSettings['moved']): number[] {
    const { parts } = this.#unmoved;
    const changed = parts.flatMap((_, i) => (sameJson(moved[i] ?? null, this.#moved[i] ?? null) ? [] : [i]));
    if (changed.length === 0) return changed;
    const only = Object.fromEntries(changed.map((i) => [i, moved[i]]));
    const now = withMovedPoints(this.#unmoved, only);
    const before = this.#base;
    this.#base = {
      ...before,
      parts: before.parts.map((part, i) => (changed.includes(i) ? now.parts[i] : part)),
    };
    this.#moved = moved;
    this.bind(this.skeleton);
    return changed;
  }

  #layBinds(): void {
    this.character.parts.forEach(({ inverseBinds }, i) => {
      this.#binds[i].set(inverseBinds.subarray(0, inverseBinds.length - 16));
      this.#binds[i].set(inverseBinds.subarray(inverseBinds.length - 16), this.jointCapacity * 16);
    });
  }

  /** World matrices in a pose: Float32Array, 16·jointCapacity. */
  pose(pose: Pose, world: Float32Array): void {
    poseWorld(this.skeleton, pose, world);
  }

  /** What skinning blends, of one part: Float32Array, 16·(jointCapacity + 1). */
  palette(part: number, world: Float32Array, palette: Float32Array): void {
    buildPalette(world, this.#binds[part], palette);
  }
}
