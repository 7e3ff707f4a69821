import { kernelFace } from '../memory/kernelFace.ts';
import { groupByKey, type GroupWork } from './groupByKey.ts';
import { measureSoup, movePositions, shiftIndices } from './soupLoops.ts';
import { growTree, type NearestPlaces, nearestOfPlaces, type TreeWork } from './treeLoops.ts';
import * as voxels from './voxels.ts';
import { axesOf, SHELL, stepsOf, type VoxelWork } from './voxels.ts';

/** The hot loops over soups, grids and keys; see the plain twins for what they do. */
export interface SpatialKernels {
  groupByKey(keys: Int32Array, work: GroupWork): void;
  movePositions(positions: Float32Array, matrix: Float32Array): void;
  shiftIndices(indices: Uint32Array, shift: number): void;
  measureSoup(positions: Float32Array, triangles: Uint32Array, out: Float64Array): void;
  placeInCells(work: VoxelWork): void;
  crossTriangles(work: VoxelWork): void;
  castVotes(work: VoxelWork, axis: number): void;
  countVotes(work: VoxelWork): void;
  measureDepth(work: VoxelWork): void;
  growTree(work: TreeWork): void;
  nearestOfPlaces(work: TreeWork, places: Float32Array, out: NearestPlaces): void;
}

const plain: SpatialKernels = {
  groupByKey,
  movePositions,
  shiftIndices,
  measureSoup,
  placeInCells: voxels.placeInCells,
  crossTriangles: voxels.crossTriangles,
  castVotes: voxels.castVotes,
  countVotes: voxels.countVotes,
  measureDepth: voxels.measureDepth,
  growTree,
  nearestOfPlaces,
};

export const spatialKernels = kernelFace<SpatialKernels>(plain, (run, at) => ({
  groupByKey(keys, { starts, ends, members }) {
    run.groupByKey(at(keys), keys.length, ends.length, at(starts), at(ends), at(members));
  },
  movePositions(positions, matrix) {
    run.movePositions(at(positions), positions.length / 3, at(matrix));
  },
  shiftIndices(indices, shift) {
    run.shiftIndices(at(indices), indices.length, shift);
  },
  measureSoup(positions, triangles, out) {
    run.measureSoup(at(positions), at(triangles), triangles.length / 3, at(out));
  },
  placeInCells({ positions, places, counts, origin, size }) {
    const middle = voxels.middleOf(counts, origin, size);
    run.placeInCells(at(positions), positions.length / 3, at(places), ...middle, 1 / size);
  },
  crossTriangles({ places, triangles, windings, solid, counts }) {
    run.crossTriangles(
      at(places),
      at(triangles),
      triangles.length / 3,
      ...windings.map(at),
      at(solid),
      SHELL,
      ...counts,
    );
  },
  castVotes({ windings, votes, counts }, axis) {
    const axes = axesOf(axis);
    const steps = stepsOf(counts);
    run.castVotes(at(windings[axis]), at(votes), ...axes.map((k) => counts[k]), ...axes.map((k) => steps[k]));
  },
  countVotes({ votes, solid }) {
    run.countVotes(at(votes), at(solid), solid.length, voxels.ENOUGH_VOTES, voxels.INSIDE);
  },
  measureDepth({ solid, depth, counts, size, backSteps, backLengths }) {
    run.measureDepth(
      at(solid),
      at(depth),
      solid.length,
      voxels.INSIDE,
      voxels.edgeOf(counts),
      at(backSteps),
      at(backLengths),
      size / 2,
    );
  },
  growTree({ positions, triangles, centres, corners, quarters, boxes, ...sorting }) {
    const { order, cells, spareOrder, spareCells } = sorting;
    const made = [centres, corners, quarters, boxes, order, cells, spareOrder, spareCells].map(at);
    run.growTree(at(positions), at(triangles), order.length, ...made);
  },
  nearestOfPlaces({ order, corners, quarters, boxes }, places, { triangles, shares, distances }) {
    const tree = [order, corners, quarters, boxes].map(at);
    const found = [triangles, shares, distances].map(at);
    run.nearestOfPlaces(...tree, at(places), places.length / 3, ...found);
  },
}));
