export { skinRange, skinList, skinSlots } from './skin';
export { setWeights, readColumn, smoothTargets, smoothRows } from './rows';
export { ldlColumns, ldlSolve } from './ldl';
