import { CageFollower } from './CageFollower.ts';
import type { Follower, FollowingPlaces } from './Follower.ts';
import type { Hold } from './hold.ts';
import { SurfaceFollower } from './SurfaceFollower.ts';

/**
 * @param own    the places, with the faces that they are the points of
 * @param driver its surface at rest, as the hold was found on it
 */
export const createFollower = (
  hold: Hold,
  own: FollowingPlaces & { readonly triangles: Uint32Array },
  driver: FollowingPlaces,
): Promise<Follower> =>
  hold.kind === 'cage'
    ? Promise.resolve(new CageFollower(hold, own.triangles))
    : SurfaceFollower.create(hold, own, driver);
