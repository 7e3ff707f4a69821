// The public names of core, in reading order.
export { CoreError, type CoreErrorCode, type ErrorDetail } from './errors.ts';

export { countQuads, polygonCount, type Part } from './mesh/part.ts';
export { weldVertices, type Weld } from './topology/weld.ts';
export { recoverQuads, type Polygons } from './topology/quads.ts';
export {
  findIslands,
  findNeighbours,
  listEdges,
  markApart,
  type Islands,
  type Neighbours,
} from './topology/topology.ts';
export { computeNormals, normalizeAll } from './topology/normals.ts';

export {
  childrenOf,
  EMPTY_SKELETON,
  liveJoints,
  parentsFirst,
  restPlaces,
  restWorld,
  sideOfName,
  subtreeOf,
  type Joint,
  type Side,
  type Skeleton,
} from './skeleton/skeleton.ts';
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
} from './skeleton/pose.ts';
export {
  blendPoses,
  mirrorPose,
  mirrorWholePose,
  movedInScene,
  turnedInScene,
  withChainAtRest,
} from './skeleton/posing.ts';

export {
  applySkeletonChange,
  composeSkeletonChanges,
  invertSkeletonChange,
  rebind,
  sameSetup,
  setupOf,
  withJointSetups,
  withSetups,
  type JointChange,
  type JointSetup,
  type JointSetups,
  type SkeletonChange,
} from './skeleton/skeletonChange.ts';
export {
  addJoint,
  MOST_NAME_LENGTH,
  moveJoints,
  removeJoint,
  renameJoint,
  reparentJoint,
  scaleSkeleton,
  type Place,
} from './skeleton/editSkeleton.ts';

export {
  countUnweighted,
  createRows,
  DEFAULT_STRIDE,
  influenceCount,
  influencesOf,
  jointMass,
  LEAST_WEIGHT,
  rowSum,
  weightOf,
  type Influence,
  type WeightRows,
} from './weights/rows.ts';
export { createCandidates, normalizeCandidates, RowStatus, type Candidates } from './weights/normalize.ts';
export { readColumn, setWeights, type PointList } from './weights/setWeights.ts';
export { moveWeight } from './weights/moveWeight.ts';
export {
  changeInfluence,
  OTHERS,
  setInfluence,
  type Receiver,
  type ReceiverRules,
} from './weights/influence.ts';
export { createRowBatch, rowBatchBytes, type RowBatch } from './weights/rowBatch.ts';
export { pruneWeights, type PruneSettings } from './weights/prune.ts';
export { healPoints, meanRow, pasteRow } from './weights/rowsAsWhole.ts';
export { gatherMirrorSpace, partAt, type MirrorSpace } from './mirror/mirrorSpace.ts';
export {
  mirrorWeights,
  type MirrorReport,
  type MirrorRequest,
  type MirrorWay,
} from './mirror/mirrorWeights.ts';
export {
  PAIR_MODES,
  pairByPlace,
  pairByTopology,
  type MirrorPlane,
  type PairMode,
  type PointPairs,
} from './mirror/pairPoints.ts';
export { fillUnpaired } from './mirror/fillUnpaired.ts';
export { findTouching } from './topology/touching.ts';
export {
  influenceMask,
  jumpMask,
  QuadWalker,
  rowDistance,
  weightRangeMask,
  type Walk,
  type WalkKind,
} from './select/walks.ts';
export { DEPTHS, gatherDab, type DabPlace, type Depth } from './paint/dabPoints.ts';
export { smoothRows, smoothTargets } from './weights/smooth.ts';
export {
  apply,
  checkChange,
  compose,
  copyRow,
  DeltaBuilder,
  invert,
  isEmpty,
  joinDeltas,
  rebase,
  rowsEqual,
  type Change,
  type Delta,
} from './weights/delta.ts';

export { EMPTY_HISTORY, record, type EditRef, type History, type HistoryEntry } from './history/history.ts';

export { skinList, skinRange, skinSlots, type SkinArrays } from './deform/skin.ts';
export { createPlainKernels, type Kernels } from './kernels/kernels.ts';
export { createKernels } from './kernels/wasmKernels.ts';

export {
  growMask,
  invertMask,
  islandsOfMask,
  listMask,
  maskOf,
  ringsFrom,
  shrinkMask,
  type PointMask,
} from './select/masks.ts';
export {
  insideLine,
  projectPoints,
  seenPoints,
  type ScreenSurface,
  type ScreenView,
} from './select/screen.ts';

export { falloffAt, FALLOFFS, type Falloff, type FalloffCurve } from './paint/falloff.ts';
export { blendBorders, borderBand, MOST_BLEND_RINGS } from './paint/blendBorders.ts';
export { createReachWorkspace, gatherReach, type BrushTip, type ReachWorkspace } from './paint/reach.ts';
export {
  BRUSH_TOOLS,
  createPaintWorkspace,
  paintWorkspaceBytes,
  Stroke,
  type BrushSettings,
  type BrushTool,
  type PaintWorkspace,
  type StrokeReport,
} from './paint/stroke.ts';

export {
  MOST_FILE_BYTES,
  openGlb,
  openGltf,
  writeGlb,
  writeGltf,
  type GltfContainer,
} from './io/container.ts';
export { decodeGltf, readCharacter, type Decoders, type Progress } from './io/readCharacter.ts';
export type { Character, CharacterPart, PartSource, SourceWeights } from './io/character.ts';
export { exportCharacter, type ExportOptions } from './io/exportCharacter.ts';

export {
  describe,
  listArrivalFindings,
  listWeightTroubles,
  skinnedRows,
  type CharacterDescription,
  type PartDescription,
} from './check/describe.ts';
export {
  byWorst,
  FINDING_CODES,
  FINDING_WORDS,
  type Finding,
  type FindingCode,
  type Severity,
} from './check/finding.ts';
export { checkInput, checkUp, type CheckInput, type CheckOptions } from './check/checkUp.ts';
export { DEFAULT_PROFILE, PROFILES, type DeliveryProfile } from './check/profiles.ts';
export {
  isWeightRepair,
  repairWeights,
  takeAway,
  WEIGHT_REPAIRS,
  type RepairReport,
  type WeightRepair,
} from './repair/repair.ts';
export { isSkeletonRepair, repairSkeleton, SKELETON_REPAIRS } from './repair/repairSkeleton.ts';
export { healUnweighted } from './repair/heal.ts';
export { mirroredName, pairJoints, type JointPairs, type PairBasis } from './skeleton/pairs.ts';
export { countStrays, TINY_WEIGHT } from './check/strays.ts';
export {
  BIND_METHODS,
  bindSkin,
  type BindFallback,
  type BindMethod,
  type BindPart,
  type BindReport,
  type BindRequest,
  type BindSkin,
  type FallbackReason,
} from './bind/bind.ts';
export { islandOf, tieToJoint } from './bind/tie.ts';
export { rewritePoints, type RewriteRules } from './bind/rewritePoints.ts';
export { areasOf, type Areas, type Confines } from './weights/confines.ts';
export { chainOf, DEFAULT_CHAIN, spreadChain, type ChainSettings } from './bind/spreadChain.ts';
export {
  bonesOf,
  checkReach,
  fitReaches,
  ReachWork,
  type JointBones,
  type JointReach,
  type ReachPart,
  type ReachTouched,
} from './bind/reachCapsules.ts';
export { gatherBindSpace, jointPlaces, type BindSpace } from './bind/bindSpace.ts';
export { DEFAULT_SOFTNESS } from './bind/blend.ts';
export { drawPicture, type Picture } from './picture/drawPicture.ts';
export {
  findStrays,
  stepsBetween,
  STRAY_KINDS,
  type Stray,
  type StrayInput,
  type StrayKind,
} from './trial/findStrays.ts';
export { removeStrays, type StrayRules } from './trial/removeStrays.ts';
export { ancestors, findRoles, roleOfJoint, type Role, type Roles } from './skeleton/roles.ts';
export {
  bodyWays,
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
} from './trial/motionRange.ts';
export {
  BendMeter,
  SKINNINGS,
  type BendFigures,
  type BendSubject,
  type Skinning,
} from './trial/bendMeter.ts';
export {
  bendingJoints,
  byDamage,
  runClip,
  runRange,
  trialOf,
  type ClipPose,
  type JointTrial,
  type TrialPose,
} from './trial/trial.ts';
export {
  createDualPalette,
  dualPaletteBytes,
  fillDualPalette,
  skinDualRange,
  type DualPalette,
} from './deform/skinDual.ts';
export { frameCount, frameSeconds, sampleClip, slerp, type Clip, type Track } from './trial/clip.ts';
export { MOST_BVH_BYTES, readBvh, skeletonOfBvh, writeBvh, type Bvh, type BvhJoint } from './io/bvh.ts';
export { CrossingFinder, NO_CROSSING, type Crossing } from './trial/crossings.ts';
export { createBendMesh, type BendMesh, type BendRegion, type NoVolume } from './trial/bendRegion.ts';
export { strayMovements, type MovementSubject } from './trial/strayMovement.ts';
export { mapMotion, retargetMotion, type MotionMap, type RetargetSubject } from './trial/retarget.ts';
export { haulingMotion, SHELF_MOTIONS, shelfMotion } from './trial/shelf.ts';
export {
  movingJoints,
  rangesOf,
  rankStrays,
  strayPoints,
  type RankedStray,
  type StrayQuestion,
} from './trial/rankStrays.ts';
export { angleWords, figureWords, NO_VOLUME_WORDS, strayWords } from './trial/words.ts';
export { skinPart, type SkinnedCharacter } from './deform/skinPart.ts';
export { edgeLengths, restAreas, strainEdges, strainFaces, strainPoints } from './trial/strain.ts';
