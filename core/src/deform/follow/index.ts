export type { DriverSurface } from './anchors.ts';
export { holdOn, MAX_CAGE_POINTS, MAX_COORDINATES, type Hold } from './hold.ts';
export { coordinatesInCage } from './coordinatesInCage.ts';
export { type Cage } from './meanValue.ts';
export { standOff, type SidedSurface, type StandOff } from './standOff.ts';
export { weightsAlong, weightsHeld } from './weightsAlong.ts';
export { createFollower } from './createFollower.ts';
export type { Follower, FollowingPlaces } from './Follower.ts';
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
