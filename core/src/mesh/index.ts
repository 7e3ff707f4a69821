export { proposeWeld, weldNear } from './weldNear.ts';
export { countQuads, polygonCount, type Part } from './part.ts';
export { weldVertices, type Weld } from './weld.ts';
export { recoverQuads } from './quads.ts';
export type { Polygons } from './polygons.ts';
export { findIslands, findNeighbours, listEdges, type Islands } from './topology.ts';
export type { Neighbours } from './neighbours.ts';
export { computeNormals, normalizeAll } from './normals.ts';
export {
  growMask,
  invertMask,
  islandsOfMask,
  listMask,
  maskOf,
  ringsFrom,
  shrinkMask,
  type PointMask,
  smoothedAmounts,
} from './masks.ts';
export { refine, refineSurface, subdivide, type SubdivisionStep } from './subdivision.ts';
export { meshKernels } from './meshKernels.ts';
export {
  halvesOf,
  movesOfPoints,
  reliefOf,
  type Morph,
  type MorphTarget,
  type PointMoves,
} from './morphs.ts';
export { MAX_ADDED_MESH_POINTS, sharedPoints, type AddedVertex, type MeshChange } from './meshChange.ts';
