export { BendMeter } from './bendMeter.ts';
export { type BendSubject } from './meterParts.ts';
export { type BendFigures, type BendPlace } from './bendFigures.ts';
export { findLopsided } from './lopsided.ts';
export { rulerOf } from './bendRuler.ts';
export { rangeFigures, type RangeFigures } from './rangeFigures.ts';
export {
  BEND_ORDERS,
  bendingJoints,
  rankBends,
  runClip,
  runRange,
  worstFigures,
  worstPose,
  type BendOrder,
  type ClipPose,
  type JointTrial,
  type TrialPose,
} from './trial.ts';
export { createBendMesh, type BendMesh, type BendRegion, type NoVolume } from './bendRegion.ts';
export { fillEdges, fillNeighbours } from './fillEdges.ts';
export { bendJudge } from './bendJudge.ts';
export { edgeLengths, restAreas, strainEdges, strainFaces, strainPoints } from './strain.ts';
export { strainKernels } from './strainKernels.ts';
