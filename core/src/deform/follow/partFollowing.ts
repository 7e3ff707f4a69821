import type { SkinArrays } from '../skin.ts';
import type { FollowingPart } from './drivenDeformer.ts';
import { createFollower } from './createFollower.ts';
import type { FollowingPlaces } from './Follower.ts';
import type { Hold } from './hold.ts';

/** How a part follows another one. */
export interface PartFollowing {
  /** Number of the part that it follows. */
  readonly driver: number;
  readonly hold: Hold;
  /** How much of it each point takes, 0..1; all of it where they are missing. */
  readonly amounts?: Float32Array;
}

/** By part: how it follows another one; undefined where it does not. */
export type Followings = readonly (PartFollowing | undefined)[];

/** A part that is deformed, whatever holds it. */
export interface FollowedArrays {
  readonly skin: SkinArrays;
  /** Float32Array, 16·(jointCount + 1), the part's own place last. */
  readonly inverseBinds: Float32Array;
  /** As the joints bind it, in the scene. */
  readonly bound: FollowingPlaces;
  readonly triangles: Uint32Array;
}

/**
 * What a {@link drivenDeformer} goes by.
 * @param arraysOf by number; undefined for a part that is not there: nothing follows it
 */
export async function followingParts(
  followings: Followings,
  arraysOf: (part: number) => FollowedArrays | undefined,
): Promise<Map<Float32Array, FollowingPart>> {
  const found = new Map<Float32Array, FollowingPart>();
  for (const [i, following] of followings.entries()) {
    if (!following) continue;
    const [own, driver] = [arraysOf(i), arraysOf(following.driver)];
    if (!own || !driver) continue;
    found.set(own.skin.rest, {
      follower: await createFollower(
        following.hold,
        { ...own.bound, triangles: own.triangles },
        driver.bound,
      ),
      driver: driver.skin,
      binds: () => ({ own: own.inverseBinds, driver: driver.inverseBinds }),
      amounts: following.amounts,
    });
  }
  return found;
}

/** A part, what it follows, what that follows and so on: numbers, the part first. */
export function driversOf(followings: Followings | undefined, part: number): number[] {
  const chain = [part];
  for (let next = followings?.[part]?.driver; next !== undefined && !chain.includes(next);)
    next = followings?.[chain[chain.push(next) - 1]]?.driver;
  return chain;
}
