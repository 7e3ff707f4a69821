export {
  copyRows,
  countUnweighted,
  createRows,
  DEFAULT_STRIDE,
  influenceCount,
  influencesOf,
  jointMass,
  MIN_WEIGHT,
  rowSum,
  weightOf,
  type Influence,
  type WeightRows,
  TINY_WEIGHT,
  createRowsIn,
} from './rows.ts';
export { createCandidates, normalizeCandidates, RowStatus, type Candidates } from './normalize.ts';
export { readColumn, setWeights } from './setWeights.ts';
export { mirroredDistance } from './mirroredDistance.ts';
export type { PointList } from './pointList.ts';
export { changeInfluence, OTHERS, setInfluence, type Receiver, type ReceiverRules } from './influence.ts';
export { createRowBatch, type RowBatch } from './rowBatch.ts';
export { smoothRows, smoothTargets } from './smooth.ts';
export {
  apply,
  checkChange,
  compose,
  countPoints,
  copyRow,
  cutDelta,
  DeltaBuilder,
  invert,
  isEmpty,
  joinDeltas,
  rowsEqual,
  type Change,
  type Delta,
} from './delta.ts';
export { renumberRows } from './renumberRows.ts';
export { healUnweighted } from './heal.ts';
export { rewritePoints, type RewriteRules } from './rewritePoints.ts';
export { areasOf, type Areas, type Confines } from './confines.ts';
export { weightKernels } from './weightKernels.ts';
export type { BatchRows } from './normalizeBatch.ts';
export { rebaseWeights, wantedRows, type RebasedWeights } from './rebase.ts';
export { weightedJoints } from './weightedJoints.ts';
export { roundRows } from './roundRows.ts';
