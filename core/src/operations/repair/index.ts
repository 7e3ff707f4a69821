export {
  isWeightRepair,
  repairWeights,
  takeAway,
  WEIGHT_REPAIRS,
  type RepairReport,
  type WeightRepair,
} from './repairWeights.ts';
export { isSkeletonRepair, repairSkeleton, SKELETON_REPAIRS } from './repairSkeleton.ts';
export { isShapeRepair, repairShape, SHAPE_REPAIRS } from './repairShape.ts';
export { removeStrays, type StrayRules } from './removeStrays.ts';
export { cureBlemish } from './cureBlemish.ts';
