export { skinRange, skinList, skinSlots } from './skin';
export { skinDualRange, skinDualSlots } from './skinDual';
export { strainEdges, strainFaces, strainPoints } from './strain';
export { setWeights, readColumn, smoothTargets, smoothRows, normalizeBatch } from './rows';
export { ldlColumns, ldlSolve } from './ldl';
