export { anchorTo, type Anchors, type DriverSurface } from './anchors.ts';
export { weightsAlong } from './weightsAlong.ts';
export { SurfaceFollower, type FollowingPlaces } from './SurfaceFollower.ts';
export {
  drivenDeformer,
  layFollowScratch,
  type FollowingPart,
  type FollowScratch,
} from './drivenDeformer.ts';
export {
  driversOf,
  followingParts,
  type FollowedArrays,
  type Followings,
  type PartFollowing,
} from './partFollowing.ts';
