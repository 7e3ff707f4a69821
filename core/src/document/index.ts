// What belongs to a character, and how it changes; in reading order.
export type { Character, CharacterPart, PartSource, SourceWeights } from './character.ts';
export { NO_SEAMS, putSeamMeans, seamDifference, seamsAsCame, type SeamWeights } from './seamWeights.ts';
export { applyEdit, applyWeights, checkEdit, type DocumentState } from './document.ts';
export { composeEdits, EMPTY_EDIT, editOf, invertEdit, isEmptyEdit, type Edit } from './edit.ts';
export {
  applyValues,
  changeValues,
  composeValues,
  invertValues,
  rebaseValues,
  type DocumentValues,
  type ValueChange,
  type ValueLine,
} from './values.ts';
export { sameJson, type Json } from './json.ts';
export {
  ID_SECTIONS,
  itemPath,
  JOINT_SECTIONS,
  jointPath,
  partPath,
  piecePath,
  RELAXING_PATH,
  dialPath,
  shapeAmountPath,
  shapePath,
  SKINNING_PATH,
  UP_PATH,
  ORDER_PATH,
  type IdSection,
  type JointSection,
} from './paths.ts';
export {
  posePaths,
  readSettings,
  type DocumentSettings,
  UP_DIRECTIONS,
  type UpDirection,
  type JointReach,
  type PartPiece,
  type SavedMoment,
  type SavedMotion,
  type SavedPose,
  type SavedMask,
  type SavedSelection,
  type StrayPoints,
  type WithId,
} from './settings.ts';
export {
  MAX_SHAPE_AMOUNT,
  shapesOfDocument,
  type SavedShape,
  type SavedShapes,
  type Shape,
} from './shapes.ts';
export { followPart } from './followPart.ts';
export { checkFollows, soundFollows, type FollowsByPart, type PartFollows } from './partFollows.ts';
export { MAX_RELAX_BORDER, relaxAmounts, type RelaxedLook } from './relaxedLook.ts';
export { pointCounts, withPointCount } from './pointCounts.ts';
export { withOutlines } from './withOutlines.ts';
export { MAX_CAGE_TEXT, savedCage, type SavedCage } from './cages.ts';
export { layersInOrder, movedLayer, pageTurn, type LayerOrder, type OrderRule } from './layerOrder.ts';
export { describeValue } from './describeValues.ts';
export { rebaseEdit, type RebasedEdit } from './rebase.ts';
export { renumberJoints, type JointNumbers } from './renumberJoints.ts';
export {
  editsOf,
  EMPTY_HISTORY,
  record,
  relabelTop,
  stackOf,
  unrecord,
  type EditRef,
  type EditStack,
  type History,
  type LogLine,
} from './history.ts';
export { countInexact } from './inexactSums.ts';
export { findBodyPlane } from './space/bodyPlane.ts';
export { withJointSetups, withSkeleton } from './withJointSetups.ts';
export { carryingRibbons, withRibbonTracks } from './withRibbonTracks.ts';
export { FILE_SHAPES, shapesOf, withPoints, withShapes, type ShapeSettings } from './withShapes.ts';
export { MAX_MOVED_TEXT, movedValues, readMoved, type MovedBlocks } from './movedPoints.ts';
export { isSoundRibbon, ribbonsOnPart, type SavedRibbon, withoutOwnJoints } from './ribbons.ts';
export { withMovedPoints } from './withMovedPoints.ts';
export { withAddedAmounts, withAddedRows } from './withMeshes.ts';
export { withSkinnedParts } from './withSkinnedParts.ts';
export { gatherMirrorSpace, partAt, type MirrorSpace } from './space/mirrorSpace.ts';
export {
  byWorst,
  counted,
  FINDING_CODES,
  FINDING_WORDS,
  type Finding,
  type FindingCode,
  type Severity,
} from './finding.ts';
export type { CheckInput } from './checkInput.ts';
export {
  DEFAULT_PROFILE,
  isNameTaken,
  patternTrouble,
  PROFILES,
  readProfile,
  WEIGHT_FORMATS,
  WEIGHT_FORMAT_WORDS,
  WEIGHT_STEPS,
  type DeliveryProfile,
  type NameLimits,
  type WeightFormat,
} from './profiles.ts';
export { gatherBindSpace, jointPlaces, type BindSpace } from './space/bindSpace.ts';
export { coversStray, STRAY_KINDS, type Stray, type StrayKind } from './stray.ts';
export type { Blemish, BlemishKind } from './blemish.ts';
export { skinPart, type SkinnedCharacter } from './skinPart.ts';
export {
  boundBox,
  asBound,
  boundPositions,
  type BoundPositions,
  boxAround,
  characterSize,
  longestSide,
  partPlace,
  type Box,
} from './space/boundSpace.ts';
export { DELIVERY, DELIVERY_FORMATS, readDelivery, type Delivery, type DeliveryFormat } from './delivery.ts';
export { acrossPlane } from './space/acrossPlane.ts';
