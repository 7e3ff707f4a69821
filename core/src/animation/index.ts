export {
  bodyDirections,
  findMotionRanges,
  rangePoses,
  STILL_ANGLES,
  turnedBy,
  TURNS,
  type Angles,
  type JointKind,
  type Limits,
  type MotionRange,
  type RangePose,
  type Turn,
} from './motionRange.ts';
export {
  frameCount,
  frameSeconds,
  poseClip,
  posesClip,
  sampleClip,
  slerp,
  type Clip,
  type Track,
} from './clip.ts';
export { skeletonOfBvh, type Bvh, type BvhJoint } from './bvhMotion.ts';
export { mapMotion, type MotionMap } from './mapMotion.ts';
export { putMotion, type PutMotion, type PutOptions } from './putMotion.ts';
export { retargetMotion, type RetargetOptions } from './retarget.ts';
export type { RetargetSubject } from './retargetSubject.ts';
export { haulingMotion, SHELF_MOTIONS, shelfMotion } from './shelf.ts';
