export { skinRange, skinList, skinPacked } from './skin';
export { setWeights, readColumn, smoothTargets, smoothRows } from './rows';
