export {
  addOutlinePoints,
  bendAtAnchors,
  moveOutlinePoints,
  takeOutPoints,
  type LayerCuts,
  type OutlineSubject,
  type PointPlaces,
} from './changeOutlines.ts';
export { cutsAlong } from './cutsAlong.ts';
export { cutsAtJoints } from './cutsAtJoints.ts';
export { nearestCut } from './nearestCut.ts';
