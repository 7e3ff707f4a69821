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
export { frameCount, frameSeconds, sampleClip, slerp, type Clip, type Track } from './clip.ts';
export { skeletonOfBvh, type Bvh, type BvhJoint } from './bvhMotion.ts';
export { mapMotion, retargetMotion, type MotionMap, type RetargetSubject } from './retarget.ts';
export { haulingMotion, SHELF_MOTIONS, shelfMotion } from './shelf.ts';
