export {
  childrenOf,
  fileJointId,
  nodeJointId,
  EMPTY_SKELETON,
  liveJoints,
  markAncestors,
  parentsFirst,
  restPlaces,
  restWorld,
  otherSideName,
  sideOfName,
  subtreeOf,
  type Joint,
  type Side,
  type Skeleton,
} from './skeleton.ts';
export { applyScale, lengthFactors } from './applyScale.ts';
export { mirroredPlace, mirrorJoints } from './mirrorJoints.ts';
export { jointsFromNodes, type PlainNode } from './plainNodes.ts';
export {
  anglesFromRotation,
  buildPalette,
  poseWorld,
  REST_JOINT,
  REST_POSE,
  rotationFromAngles,
  turned,
  withJoint,
  type Axis,
  type JointPose,
  type Pose,
} from './pose.ts';
export { mirrorPose, mirrorWholePose, movedInScene, turnedInScene, withChainAtRest } from './posing.ts';
export { type Dialled, MAX_DIAL, redial } from './dials.ts';
export {
  applySkeletonChange,
  composeSkeletonChanges,
  invertSkeletonChange,
  rebind,
  sameSetup,
  setupOf,
  withSetups,
  type JointChange,
  type JointSetup,
  type JointSetups,
  type SkeletonChange,
} from './skeletonChange.ts';
export {
  addJoint,
  freeJointName,
  MAX_NAME_LENGTH,
  moveJoints,
  removeJoint,
  renameJoint,
  reparentJoint,
  scaleSkeleton,
  type Place,
} from './editSkeleton.ts';
export {
  mirroredName,
  pairJoints,
  sidesOf,
  signOfLeft,
  type JointPairs,
  type MiddlePlane,
  type PairBasis,
} from './pairs.ts';
export { DEFAULT_SOFTNESS } from './softness.ts';
export { ancestors, findRoles, roleOfJoint, type Role, type Roles } from './roles.ts';
