export { BendMeter } from './bendMeter.ts';
export { type BendSubject } from './meterParts.ts';
export { type BendFigures } from './bendFigures.ts';
export { rangeFigures, type RangeFigures } from './rangeFigures.ts';
export {
  bendingJoints,
  byDamage,
  runClip,
  runRange,
  trialOf,
  type ClipPose,
  type JointTrial,
  type TrialPose,
} from './trial.ts';
export { createBendMesh, type BendMesh, type BendRegion, type NoVolume } from './bendRegion.ts';
export { edgeLengths, restAreas, strainEdges, strainFaces, strainPoints } from './strain.ts';
export { strainKernels } from './strainKernels.ts';
