export { costPoses, MAX_CLIP_FRAMES, type CostPose } from './costPoses.ts';
export { measureCost, type Cost, type CostPart } from './measureCost.ts';
