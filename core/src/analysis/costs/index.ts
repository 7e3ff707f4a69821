export { costPoses, type CostPose } from './costPoses.ts';
export { measureCost, type Cost, type CostPart } from './measureCost.ts';
