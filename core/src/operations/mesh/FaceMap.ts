import { facesAbout, type PointFaces } from '../../mesh/facesAbout.ts';
import { cornersOf } from '../../mesh/meshChange.ts';
import type { Part } from '../../mesh/part.ts';

/** A polygon that is worked on: its corners as points and as vertices, counter-clockwise. */
export interface Face {
  readonly points: readonly number[];
  readonly vertices: readonly number[];
  /** The part's triangles that it consists of; none of one that was made here. */
  readonly triangles: readonly number[];
}

/** The polygons of a part about its points, some of them replaced by others. */
export class FaceMap {
  readonly part: Part;
  /** The part's triangles, as many as it is drawn with, by vertices. */
  readonly #corners: Uint32Array;
  readonly #triangles: PointFaces;
  readonly #polygons: PointFaces;
  readonly #made = new Map<number, Face>();
  /** Polygons whose triangles were looked for, and the triangles that are theirs: a face that is there twice has two. */
  readonly #known = new Map<number, Face>();
  readonly #taken = new Set<number>();
  readonly #gone = new Set<number>();
  readonly #madeAbout = new Map<number, Set<number>>();
  #next: number;

  constructor(part: Part) {
    const { pointCount, triangles, polygonOffsets, polygonPoints } = part;
    this.part = part;
    this.#corners = drawnCorners(part);
    this.#triangles = facesAbout(triangles, pointCount);
    this.#polygons = polygonsAbout(polygonOffsets, polygonPoints, pointCount);
    this.#next = polygonOffsets.length - 1;
  }

  /** Numbers of the polygons about a point. */
  about(point: number): number[] {
    const { offsets, faces } = this.#polygons;
    const own = point + 1 < offsets.length ? [...faces.subarray(offsets[point], offsets[point + 1])] : [];
    return [...own, ...(this.#madeAbout.get(point) ?? [])].filter((id) => !this.#gone.has(id));
  }

  /** Numbers of the polygons on an edge. */
  on(a: number, b: number): number[] {
    return this.about(a).filter((id) => edgeIn(this.pointsOf(id), a, b) >= 0);
  }

  pointsOf(id: number): readonly number[] {
    const made = this.#made.get(id);
    if (made) return made.points;
    const { polygonOffsets, polygonPoints } = this.part;
    return [...polygonPoints.subarray(polygonOffsets[id], polygonOffsets[id + 1])];
  }

  face(id: number): Face {
    return this.#made.get(id) ?? this.#found(id);
  }

  replace(ids: readonly number[], faces: readonly Omit<Face, 'triangles'>[]): number[] {
    for (const id of ids) this.#gone.add(id);
    return faces.map((face) => {
      const id = this.#next++;
      this.#made.set(id, { ...face, triangles: [] });
      for (const p of new Set(face.points)) {
        const about = this.#madeAbout.get(p);
        if (about) about.add(id);
        else this.#madeAbout.set(p, new Set([id]));
      }
      return id;
    });
  }

  /** What became of the part: triangles of it that are gone, and polygons that were made and are there. */
  result(): { readonly gone: number[]; readonly made: Face[] } {
    const count = this.part.polygonOffsets.length - 1;
    return {
      gone: [...this.#gone].filter((id) => id < count).flatMap((id) => [...this.#found(id).triangles]),
      made: [...this.#made].flatMap(([id, face]) => (this.#gone.has(id) ? [] : [face])),
    };
  }

  /** A polygon of the part, with the triangles that it was recovered from: its first corner is in all of them. */
  #found(id: number): Face {
    const known = this.#known.get(id);
    if (known) return known;
    const points = this.pointsOf(id);
    const { offsets, faces } = this.#triangles;
    const { triangles } = this.part;
    const taken: number[] = [];
    const vertices: number[] = [];
    for (let k = 1; k + 1 < points.length; k++) {
      const wanted = [points[0], points[k], points[k + 1]];
      for (let i = offsets[points[0]]; i < offsets[points[0] + 1]; i++) {
        const t = faces[i];
        const turn = [0, 1, 2].find((r) => wanted.every((p, c) => triangles[t * 3 + ((r + c) % 3)] === p));
        if (turn === undefined || this.#taken.has(t)) continue;
        this.#taken.add(t);
        taken.push(t);
        [0, k, k + 1].forEach((at, c) => (vertices[at] ??= this.#corners[t * 3 + ((turn + c) % 3)]));
        break;
      }
    }
    const face = { points, vertices, triangles: taken };
    this.#known.set(id, face);
    return face;
  }
}

/** Where an edge begins among a polygon's corners, whichever way it runs; -1 where it has none. */
export function edgeIn(points: readonly number[], a: number, b: number): number {
  return points.findIndex((p, i) => {
    const next = points[(i + 1) % points.length];
    return (p === a && next === b) || (p === b && next === a);
  });
}

/** Welding takes triangles away that have come together to a line; the others stay in their order. */
function drawnCorners(part: Part): Uint32Array {
  const corners = cornersOf(part);
  const drawn = drawnTriangles(part);
  return drawn
    ? Uint32Array.from([...drawn].flatMap((t) => [...corners.subarray(t * 3, t * 3 + 3)]))
    : corners;
}

/** By triangle that a part is drawn with, its number among those that it has by vertices; undefined where it is the same. */
export function drawnTriangles(part: Part): Uint32Array | undefined {
  const { vertexPoint, triangles } = part;
  const corners = cornersOf(part);
  if (corners.length === triangles.length) return undefined;
  const drawn: number[] = [];
  for (let t = 0; t * 3 < corners.length; t++) {
    const [a, b, c] = [0, 1, 2].map((k) => vertexPoint[corners[t * 3 + k]]);
    if (a !== b && b !== c && c !== a) drawn.push(t);
  }
  return Uint32Array.from(drawn);
}

function polygonsAbout(offsets: Uint32Array, points: Uint32Array, pointCount: number): PointFaces {
  const starts = new Uint32Array(pointCount + 1);
  for (const p of points) starts[p + 1]++;
  for (let p = 0; p < pointCount; p++) starts[p + 1] += starts[p];
  const ends = starts.slice(0, pointCount);
  const faces = new Uint32Array(points.length);
  for (let id = 0; id + 1 < offsets.length; id++)
    for (let c = offsets[id]; c < offsets[id + 1]; c++) faces[ends[points[c]]++] = id;
  return { offsets: starts, faces };
}
