export { alignPlaces, handMatrix, IDENTITY_ALIGNMENT, movedPlaces, type Alignment } from './alignment.ts';
export { matchJoints, MATCH_BASES, type JointMatch, type MatchBasis, type MatchSide } from './matchJoints.ts';
export { readSource, type SourcePart, type TransferSource } from './source.ts';
export {
  DEFAULT_ANGLE,
  DEFAULT_DISTANCE,
  transferWeights,
  TransferState,
  type TransferReport,
  type TransferRequest,
} from './transferWeights.ts';
export { prepareTransfer, type PreparedTransfer } from './prepareTransfer.ts';
