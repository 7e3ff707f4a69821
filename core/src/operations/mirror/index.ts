export {
  mirrorWeights,
  type MirrorReport,
  type MirrorRequest,
  type MirrorDirection,
} from './mirrorWeights.ts';
export {
  PAIR_MODES,
  pairByPlace,
  pairByTopology,
  type MirrorPlane,
  type PairMode,
  type PointPairs,
} from './pairPoints.ts';
export { fillUnpaired } from './fillUnpaired.ts';
export { findTouching } from './touching.ts';
