export { skinRange, skinList, skinSlots } from './skin';
export { setWeights, readColumn, smoothTargets, smoothRows, normalizeBatch } from './rows';
export { ldlColumns, ldlSolve } from './ldl';
