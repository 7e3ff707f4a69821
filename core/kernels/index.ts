export { skinRange, skinList, skinSlots } from './skin';
export { skinDualRange, skinDualSlots } from './skinDual';
export { strainEdges, strainFaces, strainPoints } from './strain';
export { setWeights, readColumn, smoothTargets, smoothRows, normalizeBatch, rewriteRows } from './rows';
export { ldlColumns, ldlSolve } from './ldl';
export { fillNeighbours, fillIslands, groupByKey, joinPieces, listMarked, movePositions, shiftIndices } from './topology';
export { keepBones, nearestBones, boxPoints, weighSlots, blendRows } from './nearest';
export { measureSoup, placeInCells, crossTriangles, castVotes, countVotes, measureDepth } from './voxels';
export { dissect } from './dissect';
