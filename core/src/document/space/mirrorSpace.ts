import { asBound, type BoundPositions, placePositions } from './boundSpace.ts';
import type { CharacterPart } from '../character.ts';

/**
 * Several parts as one surface at rest, so that a left boot can mirror a right one.
 *
 * - `firstPoint`  Uint32Array, parts + 1: part i has the points firstPoint[i] .. firstPoint[i + 1] of the space.
 * - `offsets`, `corners`  polygons as in a part, of all parts.
 */
export interface MirrorSpace {
  readonly firstPoint: Uint32Array;
  readonly positions: BoundPositions;
  readonly offsets: Uint32Array;
  readonly corners: Uint32Array;
}

type Shape = Pick<
  CharacterPart,
  'positions' | 'pointCount' | 'polygonOffsets' | 'polygonPoints' | 'inverseBinds'
>;

/**
 * The parts where they stand at rest, in the scene.
 *
 * @param isFlat whether they are the layers of a drawing, which lie a little in front of one another: here they do not
 */
export function gatherMirrorSpace(parts: readonly Shape[], isFlat = false): MirrorSpace {
  const firstPoint = new Uint32Array(parts.length + 1);
  parts.forEach(({ pointCount }, i) => (firstPoint[i + 1] = firstPoint[i] + pointCount));
  const positions = asBound(new Float32Array(firstPoint[parts.length] * 3));
  const polygonCount = parts.reduce((sum, { polygonOffsets }) => sum + polygonOffsets.length - 1, 0);
  const offsets = new Uint32Array(polygonCount + 1);
  const corners = new Uint32Array(parts.reduce((sum, { polygonPoints }) => sum + polygonPoints.length, 0));
  let [polygon, corner] = [0, 0];
  parts.forEach(({ positions: own, polygonOffsets, polygonPoints, inverseBinds }, i) => {
    placePositions({ positions: own, inverseBinds }, positions, firstPoint[i] * 3);
    for (let k = 1; k < polygonOffsets.length; k++) offsets[++polygon] = polygonOffsets[k] + corner;
    for (const p of polygonPoints) corners[corner++] = p + firstPoint[i];
  });
  if (isFlat) for (let k = 2; k < positions.length; k += 3) positions[k] = 0;
  return { firstPoint, positions, offsets, corners };
}

/** The part that a point of the space belongs to. */
export function partAt(firstPoint: Uint32Array, point: number): number {
  let part = 0;
  while (firstPoint[part + 1] <= point) part++;
  return part;
}
