export { BendMeter, type BendFigures, type BendSubject } from './bendMeter.ts';
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
