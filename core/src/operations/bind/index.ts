export { bindSkin } from './bind.ts';
export {
  BIND_METHODS,
  type BindFallback,
  type BindMethod,
  type BindPart,
  type BindReport,
  type BindRequest,
  type BindSkin,
  type FallbackReason,
} from './bindRequest.ts';
export { BIND_WORDS, bindNotes, type BindNote } from './bindWords.ts';
export { mixBindings, type Mixture } from './mixBindings.ts';
export { islandOf, tieToJoint } from './tie.ts';
export { chainOf, DEFAULT_CHAIN, spreadChain, type ChainSettings } from './spreadChain.ts';
export {
  bonesOf,
  checkReach,
  fitReaches,
  ReachWork,
  type JointBones,
  type ReachPart,
  type ReachTouched,
} from './reachCapsules.ts';
export { bindKernels } from './bindKernels.ts';
