import { asBound, type BoundPositions } from './boundSpace.ts';
import { partPlace } from './boundSpace.ts';
import { mat4 } from 'gl-matrix';
import type { CharacterPart } from '../character.ts';
import { groupMembers, layGroups } from '../../spatial/groups.ts';
import type { Groups } from '../../spatial/groupByKey.ts';
import { findIslands, findNeighbours, layIslands, layNeighbours, type Islands } from '../../mesh/topology.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { spatialKernels } from '../../spatial/spatialKernels.ts';
import { createPlainMemory, type KernelMemory } from '../../memory/kernelMemory.ts';

/**
 * Several parts side by side in one space: where they stand when every joint is where it was when the skin was bound.
 *
 * - `firstPoint`  Uint32Array, parts + 1: part i has the points firstPoint[i] .. firstPoint[i + 1].
 * - `positions`   Float32Array, 3·pointCount.
 * - `triangles`   Uint32Array, 3·triangleCount, point numbers of this space.
 */
export interface BindSpace {
  /** Whose memory the positions and the neighbours lie in. */
  readonly memory: KernelMemory;
  readonly parts: readonly number[];
  readonly firstPoint: Uint32Array;
  readonly pointCount: number;
  readonly positions: BoundPositions;
  readonly triangles: Uint32Array;
  readonly neighbours: Neighbours;
  readonly islands: Islands;
  /** The points of each island. */
  readonly islandPoints: Groups;
}

type Shape = Pick<
  CharacterPart,
  'positions' | 'triangles' | 'polygonOffsets' | 'polygonPoints' | 'pointCount' | 'inverseBinds'
>;

/** Room for the surface of a space in the kernels' memory. */
function laySurface(memory: KernelMemory, all: readonly Shape[], parts: readonly number[]) {
  const sum = (of: (shape: Shape) => number): number =>
    parts.reduce((total, part) => total + of(all[part]), 0);
  return {
    positions: memory.f32(sum(({ pointCount }) => pointCount) * 3),
    triangles: memory.u32(sum(({ triangles }) => triangles.length)),
    corners: memory.u32(sum(({ polygonPoints }) => polygonPoints.length)),
    offsets: memory.u32(sum(({ polygonOffsets }) => polygonOffsets.length - 1) + 1),
    matrix: memory.f32(16),
  };
}

/** Room that {@link gatherBindSpace} takes in the kernels' memory. */
export function layBindSpace(memory: KernelMemory, all: readonly Shape[], parts: readonly number[]): unknown {
  const pointCount = parts.reduce((sum, part) => sum + all[part].pointCount, 0);
  const cornerCount = parts.reduce((sum, part) => sum + all[part].polygonPoints.length, 0);
  return [
    laySurface(memory, all, parts),
    layNeighbours(memory, pointCount, cornerCount),
    layIslands(memory, pointCount),
    // No more islands than points.
    layGroups(memory, pointCount, pointCount),
  ];
}

/** Gathers the listed parts. */
export function gatherBindSpace(
  all: readonly Shape[],
  parts: readonly number[],
  memory: KernelMemory = createPlainMemory(),
): BindSpace {
  const firstPoint = new Uint32Array(parts.length + 1);
  parts.forEach((part, i) => (firstPoint[i + 1] = firstPoint[i] + all[part].pointCount));
  const pointCount = firstPoint[parts.length];
  const { positions, triangles, corners, offsets, matrix } = laySurface(memory, all, parts);
  let [t, c, polygon] = [0, 0, 0];
  parts.forEach((index, i) => {
    const part = all[index];
    const place = partPlace(part);
    const first = firstPoint[i];
    matrix.set(place);
    const own = positions.subarray(first * 3, (first + part.pointCount) * 3);
    own.set(part.positions);
    spatialKernels(memory).movePositions(own, matrix);
    const put = (to: Uint32Array, at: number, from: Uint32Array, shift: number): void => {
      to.set(from, at);
      spatialKernels(memory).shiftIndices(to.subarray(at, at + from.length), shift);
    };
    put(triangles, t, part.triangles, first);
    put(offsets, polygon + 1, part.polygonOffsets.subarray(1), c);
    put(corners, c, part.polygonPoints, first);
    t += part.triangles.length;
    c += part.polygonPoints.length;
    polygon += part.polygonOffsets.length - 1;
  });
  const neighbours = findNeighbours({ offsets, points: corners }, pointCount, memory);
  const islands = findIslands(neighbours, memory);
  return {
    memory,
    parts,
    firstPoint,
    pointCount,
    positions: asBound(positions),
    triangles,
    neighbours,
    islands,
    islandPoints: groupMembers(islands.ofPoint, islands.count, memory),
  };
}

/**
 * Where the joints were when the skin was bound: Float32Array, 3·jointCount, in the space of {@link gatherBindSpace}.
 * Told by the inverse bind matrices of the part whose skin lists the joint; files often leave the nodes in some frame
 * of a clip, so the nodes are asked only by what no skin lists.
 */
export function jointPlaces(
  skeleton: Skeleton,
  parts: readonly Pick<CharacterPart, 'inverseBinds' | 'source'>[],
): Float32Array {
  const places = new Float32Array(skeleton.joints.length * 3);
  const bySize = [...parts].sort((a, b) => b.source.jointOfSlot.length - a.source.jointOfSlot.length);
  const world = mat4.create();
  skeleton.joints.forEach((_, joint) => {
    const part = bySize.find(({ source }) => source.jointOfSlot.includes(joint)) ?? bySize[0];
    const { inverseBinds } = part;
    const place = inverseBinds.subarray(inverseBinds.length - 16);
    if (!mat4.invert(world, inverseBinds.subarray(joint * 16, joint * 16 + 16))) return;
    mat4.multiply(world, place, world);
    places.set([world[12], world[13], world[14]], joint * 3);
  });
  return places;
}
