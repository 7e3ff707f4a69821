import { mat4 } from 'gl-matrix';
import type { CharacterPart } from '../io/character.ts';
import type { Kernels } from '../kernels/kernels.ts';
import { createPlainKernels } from '../kernels/kernels.ts';
import { groupMembers, type Groups } from '../topology/groups.ts';
import { findIslands, findNeighbours, type Islands, type Neighbours } from '../topology/topology.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';

/**
 * Several parts side by side in one space: where they stand when every joint is where it was when the skin was bound.
 *
 * - `firstPoint`  Uint32Array, parts + 1: part i has the points firstPoint[i] .. firstPoint[i + 1].
 * - `positions`   Float32Array, 3·pointCount.
 * - `triangles`   Uint32Array, 3·triangleCount, point numbers of this space.
 */
export interface BindSpace {
  /** Whose memory the positions and the neighbours lie in. */
  readonly kernels: Kernels;
  readonly parts: readonly number[];
  readonly firstPoint: Uint32Array;
  readonly pointCount: number;
  readonly positions: Float32Array;
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

/** Kernel memory that a space takes, in bytes. */
export function bindSpaceBytes(all: readonly Shape[], parts: readonly number[]): number {
  let bytes = 256;
  for (const part of parts) {
    const { pointCount, polygonOffsets, polygonPoints, triangles } = all[part];
    bytes +=
      pointCount * 44 + (polygonOffsets.length + triangles.length) * 4 + polygonPoints.length * 12 + 64;
  }
  return bytes;
}

/** Gathers the listed parts. */
export function gatherBindSpace(
  all: readonly Shape[],
  parts: readonly number[],
  kernels: Kernels = createPlainKernels(),
): BindSpace {
  const firstPoint = new Uint32Array(parts.length + 1);
  parts.forEach((part, i) => (firstPoint[i + 1] = firstPoint[i] + all[part].pointCount));
  const pointCount = firstPoint[parts.length];
  const positions = kernels.f32(pointCount * 3);
  const triangles = kernels.u32(parts.reduce((sum, part) => sum + all[part].triangles.length, 0));
  const corners = kernels.u32(parts.reduce((sum, part) => sum + all[part].polygonPoints.length, 0));
  const offsets = kernels.u32(parts.reduce((sum, part) => sum + all[part].polygonOffsets.length - 1, 0) + 1);
  const matrix = kernels.f32(16);
  let [t, c, polygon] = [0, 0, 0];
  parts.forEach((index, i) => {
    const part = all[index];
    const place = part.inverseBinds.subarray(part.inverseBinds.length - 16);
    const first = firstPoint[i];
    matrix.set(place);
    const own = positions.subarray(first * 3, (first + part.pointCount) * 3);
    own.set(part.positions);
    kernels.movePositions(own, matrix);
    const put = (to: Uint32Array, at: number, from: Uint32Array, shift: number): void => {
      to.set(from, at);
      kernels.shiftIndices(to.subarray(at, at + from.length), shift);
    };
    put(triangles, t, part.triangles, first);
    put(offsets, polygon + 1, part.polygonOffsets.subarray(1), c);
    put(corners, c, part.polygonPoints, first);
    t += part.triangles.length;
    c += part.polygonPoints.length;
    polygon += part.polygonOffsets.length - 1;
  });
  const neighbours = findNeighbours({ offsets, points: corners }, pointCount, kernels);
  const islands = findIslands(neighbours, kernels);
  return {
    kernels,
    parts,
    firstPoint,
    pointCount,
    positions,
    triangles,
    neighbours,
    islands,
    islandPoints: groupMembers(islands.ofPoint, islands.count, kernels),
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
