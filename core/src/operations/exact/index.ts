export { moveWeight } from './moveWeight.ts';
export { pruneWeights, type PruneSettings } from './prune.ts';
export { healPoints, meanRow, pasteRow } from './rowsAsWhole.ts';
