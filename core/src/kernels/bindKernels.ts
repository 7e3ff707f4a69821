import type { Chains } from '../bind/blend.ts';
import { blendRows } from '../bind/blendRows.ts';
import type { Reach } from '../bind/insideDistance.ts';
import * as nearest from '../bind/nearestBones.ts';
import type { BoxGrid, NearestWork } from '../bind/nearestBones.ts';
import * as soup from '../bind/soup.ts';
import * as voxels from '../bind/voxels.ts';
import { axesOf, SHELL, stepsOf, type VoxelWork } from '../bind/voxels.ts';
import { dissect, type DissectWork } from '../solve/nestedDissection.ts';
import * as groups from '../topology/groups.ts';
import type { GroupWork } from '../topology/groups.ts';
import * as pieces from '../topology/pieces.ts';
import type { PieceWork } from '../topology/pieces.ts';
import type { Polygons } from '../topology/quads.ts';
import * as topology from '../topology/topology.ts';
import type { NeighbourWork, Neighbours } from '../topology/topology.ts';
import { rewriteRows, type RowBlock } from '../weights/rowBlock.ts';
import type { WeightRows } from '../weights/rows.ts';

/** The hot loops of a first binding, from the surface to the rows; see the plain twins for what they do. */
export interface BindKernels {
  /** @returns how many neighbours all points have */
  fillNeighbours(polygons: Polygons, work: NeighbourWork): number;
  /** @returns how many islands there are */
  fillIslands(neighbours: Neighbours, ofPoint: Int32Array, queue: Uint32Array): number;
  groupByKey(keys: Int32Array, work: GroupWork): void;
  movePositions(positions: Float32Array, matrix: Float32Array): void;
  shiftIndices(indices: Uint32Array, shift: number): void;
  /** @returns how many pieces there are */
  joinPieces(rows: WeightRows, neighbours: Neighbours, work: PieceWork): number;
  /** @returns how many points are listed */
  listMarked(rows: WeightRows, pieceOf: Uint32Array, marks: Uint8Array, out: Uint32Array): number;

  measureSoup(positions: Float32Array, triangles: Uint32Array, out: Float64Array): void;
  placeInCells(work: VoxelWork): void;
  crossTriangles(work: VoxelWork): void;
  castVotes(work: VoxelWork, axis: number): void;
  countVotes(work: VoxelWork): void;
  measureDepth(work: VoxelWork): void;

  boxPoints(positions: Float32Array, grid: BoxGrid, keys: Int32Array): void;
  /** @returns how many bones are kept */
  keepBones(work: NearestWork, x: number, y: number, z: number, radius: number): number;
  nearestBones(work: NearestWork, from: number, to: number, keptCount: number): void;
  weighSlots(reach: Reach, from: number, to: number, factors: Float64Array): void;
  blendRows(reach: Reach, chains: Chains, softness: number, leastShare: number, rows: WeightRows): void;
  dissect(work: DissectWork): void;
  /** New rows for the first `count` rows of a block; see {@link RowBlock}. */
  rewriteRows(block: RowBlock, count: number, least: number, limit: number, locks: Uint8Array): void;
}

export const plainBindKernels: BindKernels = {
  fillNeighbours: topology.fillNeighbours,
  fillIslands: topology.fillIslands,
  groupByKey: groups.groupByKey,
  movePositions: soup.movePositions,
  shiftIndices: soup.shiftIndices,
  joinPieces: pieces.fillPieces,
  listMarked: pieces.listMarked,
  measureSoup: soup.measureSoup,
  placeInCells: voxels.placeInCells,
  crossTriangles: voxels.crossTriangles,
  castVotes: voxels.castVotes,
  countVotes: voxels.countVotes,
  measureDepth: voxels.measureDepth,
  boxPoints: nearest.boxPoints,
  keepBones: nearest.keepBones,
  nearestBones: nearest.nearestBones,
  weighSlots: nearest.weighSlots,
  blendRows,
  dissect,
  rewriteRows,
};

/** The functions of core/kernels by name; all take addresses and numbers. */
export type BindExports = Readonly<Record<keyof BindKernels, (...args: number[]) => number>>;

/** @param at the address of an array in the kernels' memory; throws for others */
export function wasmBindKernels(run: BindExports, at: (array: ArrayBufferView) => number): BindKernels {
  const rowArgs = ({ joints, values, stride }: WeightRows): number[] => [at(joints), at(values), stride];
  return {
    fillNeighbours: ({ offsets: polygons, points: corners }, { starts, ends, found, offsets }) =>
      run.fillNeighbours(
        at(polygons),
        polygons.length - 1,
        at(corners),
        ends.length,
        at(starts),
        at(ends),
        at(found),
        at(offsets),
      ),
    fillIslands: ({ offsets, points }, ofPoint, queue) =>
      run.fillIslands(ofPoint.length, at(offsets), at(points), at(ofPoint), at(queue)),
    groupByKey(keys, { starts, ends, members }) {
      run.groupByKey(at(keys), keys.length, ends.length, at(starts), at(ends), at(members));
    },
    movePositions(positions, matrix) {
      run.movePositions(at(positions), positions.length / 3, at(matrix));
    },
    shiftIndices(indices, shift) {
      run.shiftIndices(at(indices), indices.length, shift);
    },
    joinPieces: (rows, { offsets, points }, { pieceOf, mass, bordered, roots, solo, chief }) =>
      run.joinPieces(
        rows.pointCount,
        rows.stride,
        at(rows.joints),
        at(rows.values),
        at(offsets),
        at(points),
        at(pieceOf),
        at(mass),
        at(bordered),
        at(roots),
        at(solo),
        at(chief),
      ),
    listMarked: ({ pointCount, stride, values }, pieceOf, marks, out) =>
      run.listMarked(pointCount, stride, at(values), at(pieceOf), at(marks), at(out)),
    ...wasmVoxelKernels(run, at),
    boxPoints(positions, { least, size, counts }, keys) {
      run.boxPoints(at(positions), keys.length, ...least, size, ...counts, at(keys));
    },
    keepBones: ({ bones, kept, far, near, jointCount, ranges, lower }, x, y, z, radius) =>
      run.keepBones(
        x,
        y,
        z,
        radius,
        bones.count,
        at(bones.joints),
        at(bones.ends),
        at(ranges),
        at(far),
        at(near),
        jointCount,
        at(kept),
        at(lower),
      ),
    nearestBones({ bones, reach, jointCount, ...work }, from, to, keptCount) {
      run.nearestBones(
        at(work.members),
        from,
        to,
        at(work.positions),
        at(work.kept),
        keptCount,
        at(bones.joints),
        at(bones.ends),
        at(bones.factors),
        at(work.far),
        at(work.near),
        jointCount,
        reach.width,
        at(reach.joints),
        at(reach.distances),
        at(reach.radii),
        at(work.lengths),
        at(work.distances),
      );
    },
    weighSlots({ width, joints, distances }, from, to, factors) {
      run.weighSlots(from, to, width, at(joints), at(distances), at(factors));
    },
    blendRows(
      { pointCount, width, joints, distances, radii },
      { ofJoint, lengths, softness: own },
      softness,
      leastShare,
      rows,
    ) {
      run.blendRows(
        pointCount,
        width,
        at(joints),
        at(distances),
        at(radii),
        at(ofJoint),
        at(lengths),
        softness,
        own * softness,
        leastShare,
        at(rows.joints),
        at(rows.values),
      );
    },
    dissect({ smallest, positions, neighbours, order, best, keys, pieceOf, stack }) {
      run.dissect(
        order.length,
        smallest,
        at(positions),
        at(neighbours.offsets),
        at(neighbours.points),
        at(order),
        at(best),
        at(keys),
        at(pieceOf),
        at(stack),
      );
    },
    rewriteRows({ held, src, dst, status }, count, least, limit, locks) {
      run.rewriteRows(
        count,
        ...rowArgs(held),
        ...rowArgs(src),
        least,
        limit,
        at(locks),
        at(dst.joints),
        at(dst.values),
        at(status),
      );
    },
  };
}

type VoxelKernels = Pick<
  BindKernels,
  'measureSoup' | 'placeInCells' | 'crossTriangles' | 'castVotes' | 'countVotes' | 'measureDepth'
>;

function wasmVoxelKernels(run: BindExports, at: (array: ArrayBufferView) => number): VoxelKernels {
  return {
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
      run.castVotes(
        at(windings[axis]),
        at(votes),
        ...axes.map((k) => counts[k]),
        ...axes.map((k) => steps[k]),
      );
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
  };
}
