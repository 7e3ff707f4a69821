import { addFaceNormal, type PointFaces } from './facesAbout.ts';

/** A surface before its points were moved. */
export interface UnmovedSurface {
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly triangles: Uint32Array;
}

const [was, is] = [new Float64Array(3), new Float64Array(3)];

/** Points whose faces have a corner that was moved, those included. */
export function pointsTurned(
  moved: Iterable<number>,
  triangles: Uint32Array,
  { offsets, faces }: PointFaces,
): Set<number> {
  const turned = new Set<number>();
  for (const p of moved)
    for (let k = offsets[p]; k < offsets[p + 1]; k++)
      for (let c = faces[k] * 3; c < faces[k] * 3 + 3; c++) turned.add(triangles[c]);
  return turned;
}

/**
 * Turns normals of points as the faces about them turn: by what the sum of the faces' normals changes. So those that a file gave,
 * which are no sums of faces, stay what they are where nothing moves.
 *
 * @param unmoved   how it was
 * @param positions Float32Array, 3 a point: where points are now
 * @param normals   the result
 */
export function turnNormals(
  { positions: before, normals: base, triangles }: UnmovedSurface,
  { offsets, faces }: PointFaces,
  points: Iterable<number>,
  positions: Float32Array,
  normals: Float32Array,
): void {
  for (const p of points) {
    was.fill(0);
    is.fill(0);
    for (let k = offsets[p]; k < offsets[p + 1]; k++) {
      addFaceNormal(before, triangles, faces[k], was);
      addFaceNormal(positions, triangles, faces[k], is);
    }
    const size = Math.hypot(was[0], was[1], was[2]);
    let squares = 0;
    for (let k = 0; k < 3; k++) {
      normals[p * 3 + k] = base[p * 3 + k] * size + is[k] - was[k];
      squares += normals[p * 3 + k] ** 2;
    }
    const length = Math.sqrt(squares);
    for (let k = p * 3; k < p * 3 + 3; k++) normals[k] = length > 0 ? normals[k] / length : base[k];
  }
}
