import type { AddedPoints } from './addedPoints.ts';

/**
 * A mesh of the character, painted by points.
 *
 * A *point* is a place on the surface; a *vertex* is one of the file's own: several stand on a point where texture
 * coordinates or normals are split. Files' vertices stay as they came; everything that is painted speaks of points.
 *
 * - `positions`, `normals`   Float32Array, 3·pointCount, part space, as at rest. Normals have length one or zero.
 * - `vertexPoint`            Uint32Array, vertexCount: vertex → point.
 * - `polygonOffsets`         Uint32Array, polygonCount + 1, into `polygonPoints`.
 * - `polygonPoints`          Uint32Array: corners of the polygons (triangles and recovered quads), counter-clockwise.
 * - `triangles`              Uint32Array, 3·triangleCount: point numbers, for drawing and picking.
 * - `hardEdges`              Uint32Array, two points an edge at which the file's normals break; missing where none does.
 * - `corners`                Uint32Array: the triangles by vertices, with those that welding took away; missing where each point
 *                            is a vertex of its own.
 * - `ownPoints`              Uint32Array, vertexCount: what `vertexPoint` was before points were welded; missing where none were.
 * - `added`                  where points stand that the file does not have; missing where it has all.
 */
export interface Part {
  readonly name: string;
  readonly pointCount: number;
  readonly vertexCount: number;
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly vertexPoint: Uint32Array;
  readonly polygonOffsets: Uint32Array;
  readonly polygonPoints: Uint32Array;
  readonly triangles: Uint32Array;
  readonly hardEdges?: Uint32Array;
  readonly corners?: Uint32Array;
  readonly ownPoints?: Uint32Array;
  readonly added?: AddedPoints;
}

export function polygonCount(part: Pick<Part, 'polygonOffsets'>): number {
  return part.polygonOffsets.length - 1;
}

export function countQuads({ polygonOffsets }: Pick<Part, 'polygonOffsets'>): number {
  let quads = 0;
  for (let p = 0; p + 1 < polygonOffsets.length; p++)
    if (polygonOffsets[p + 1] - polygonOffsets[p] === 4) quads++;
  return quads;
}
