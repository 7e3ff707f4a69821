import { mat4 } from 'gl-matrix';
import type { CharacterPart } from '../io/character.ts';
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
  readonly parts: readonly number[];
  readonly firstPoint: Uint32Array;
  readonly pointCount: number;
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
  readonly neighbours: Neighbours;
  readonly islands: Islands;
}

type Shape = Pick<
  CharacterPart,
  'positions' | 'triangles' | 'polygonOffsets' | 'polygonPoints' | 'pointCount' | 'inverseBinds'
>;

/** Gathers the listed parts. */
export function gatherBindSpace(all: readonly Shape[], parts: readonly number[]): BindSpace {
  const firstPoint = new Uint32Array(parts.length + 1);
  parts.forEach((part, i) => (firstPoint[i + 1] = firstPoint[i] + all[part].pointCount));
  const pointCount = firstPoint[parts.length];
  const positions = new Float32Array(pointCount * 3);
  const triangles = new Uint32Array(parts.reduce((sum, part) => sum + all[part].triangles.length, 0));
  const corners = new Uint32Array(parts.reduce((sum, part) => sum + all[part].polygonPoints.length, 0));
  const offsets = new Uint32Array(
    parts.reduce((sum, part) => sum + all[part].polygonOffsets.length - 1, 0) + 1,
  );
  let [t, c, polygon] = [0, 0, 0];
  parts.forEach((index, i) => {
    const part = all[index];
    const place = part.inverseBinds.subarray(part.inverseBinds.length - 16);
    const first = firstPoint[i];
    place3(part.positions, place, positions, first * 3);
    for (let k = 0; k < part.triangles.length; k++) triangles[t++] = part.triangles[k] + first;
    for (let k = 1; k < part.polygonOffsets.length; k++) offsets[++polygon] = part.polygonOffsets[k] + c;
    for (let k = 0; k < part.polygonPoints.length; k++) corners[c++] = part.polygonPoints[k] + first;
  });
  const neighbours = findNeighbours({ offsets, points: corners }, pointCount);
  return {
    parts,
    firstPoint,
    pointCount,
    positions,
    triangles,
    neighbours,
    islands: findIslands(neighbours),
  };
}

/** Positions moved by a matrix, into `out` from `at` on. */
function place3(positions: Float32Array, m: Float32Array, out: Float32Array, at: number): void {
  for (let i = 0; i < positions.length; i += 3) {
    const x = positions[i];
    const y = positions[i + 1];
    const z = positions[i + 2];
    out[at + i] = m[0] * x + m[4] * y + m[8] * z + m[12];
    out[at + i + 1] = m[1] * x + m[5] * y + m[9] * z + m[13];
    out[at + i + 2] = m[2] * x + m[6] * y + m[10] * z + m[14];
  }
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
