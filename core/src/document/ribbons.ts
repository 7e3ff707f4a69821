import { layRibbon } from '../deform/ribbon/layRibbon.ts';
import type { LaidRibbon, Ribbon } from '../deform/ribbon/Ribbon.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';
import type { CharacterPart } from './character.ts';

/** A ribbon as a document keeps it. */
export interface SavedRibbon extends Ribbon {
  readonly name: string;
  readonly part: number;
  /** See {@link layRibbon}; the width in scene units. */
  readonly width: number;
  readonly fall: number;
  /** The mask that says how much of each point may be held. */
  readonly mask?: string;
  readonly isOff?: true;
  readonly savedAt: number;
}

/** Whether a ribbon's joints are there, each below the one before; others may have changed them. */
export function isSoundRibbon({ joints: chain }: Pick<SavedRibbon, 'joints'>, { joints }: Skeleton): boolean {
  return (
    chain.length >= 2 &&
    chain.every(
      (joint, i) =>
        joints.at(joint) !== undefined &&
        !joints[joint].removed &&
        (i === 0 || joints[joint].parent === chain[i - 1]),
    )
  );
}

/** A skeleton as chains run in it: joints of ribbons' own, which hang beside a chain's, are none of it. */
export function withoutOwnJoints(
  skeleton: Skeleton,
  ribbons: readonly Pick<SavedRibbon, 'ownJoints'>[],
): Skeleton {
  const own = new Set(ribbons.flatMap(({ ownJoints = [] }) => ownJoints));
  if (own.size === 0) return skeleton;
  return {
    joints: skeleton.joints.map((joint, i) => (own.has(i) ? { ...joint, parent: -1, removed: true } : joint)),
  };
}

/**
 * The ribbons that hold a part, as they lie in it at rest.
 * @param skeleton as chains run in it, see {@link withoutOwnJoints}
 * @param maskOf amounts of a mask by the part's points; undefined for one that is gone
 */
export function ribbonsOnPart(
  part: number,
  shape: Pick<CharacterPart, 'positions' | 'inverseBinds' | 'pointCount'>,
  skeleton: Skeleton,
  ribbons: readonly SavedRibbon[],
  maskOf: (id: string) => Float32Array | undefined,
): LaidRibbon[] {
  return ribbons
    .filter((ribbon) => ribbon.part === part && !ribbon.isOff && isSoundRibbon(ribbon, skeleton))
    .map((ribbon) => {
      const mask = ribbon.mask === undefined ? undefined : maskOf(ribbon.mask);
      return layRibbon(shape, skeleton, ribbon, {
        width: ribbon.width,
        fall: ribbon.fall,
        ...(mask && { mask }),
      });
    });
}
