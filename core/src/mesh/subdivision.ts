import type { Polygons } from './polygons.ts';

/**
 * One step of Catmull–Clark: every new point as a sum of old ones, and the quads between them. New points are the old ones
 * first, then one an edge, then one a polygon.
 */
export interface SubdivisionStep {
  readonly pointCount: number;
  /** Compressed rows: the old points of a new one, and their shares, which sum to one. */
  readonly offsets: Uint32Array;
  readonly sources: Uint32Array;
  readonly shares: Float32Array;
  /** Uint32Array, 4 a quad. */
  readonly quads: Uint32Array;
  /** By quad: the polygon that it is a part of. */
  readonly polygonOf: Uint32Array;
  /** Uint32Array, two new points an edge that is a crease. */
  readonly creases: Uint32Array;
}

/**
 * Catmull–Clark subdivision (Catmull & Clark 1978, "Recursively generated B-spline surfaces on arbitrary topological
 * meshes"), with borders as cubic splines. An edge of more than two polygons, and every point on one, is treated as a border.
 * Creases run through the surface like borders (DeRose, Kass & Truong 1998, "Subdivision surfaces in character animation"): where
 * one ends, the surface is smooth; where more than two meet, it has a corner.
 *
 * @param polygons any number of corners each
 * @param creases  Uint32Array, two points an edge
 */
export function subdivideOnce(
  polygons: Polygons,
  pointCount: number,
  creases?: Uint32Array,
): SubdivisionStep {
  const edges = edgesOfPolygons(polygons, creases);
  const { offsets, points } = polygons;
  const polygonCount = offsets.length - 1;
  const edgeCount = edges.ends.length / 2;
  const rows = new Rows(pointCount + edgeCount + polygonCount);
  const about = gatherAbout(edges, polygons, pointCount);
  for (let p = 0; p < pointCount; p++) addPoint(rows, p, about, edges, polygons);
  for (let e = 0; e < edgeCount; e++) addEdge(rows, e, edges, polygons);
  for (let f = 0; f < polygonCount; f++) {
    addMiddle(rows, f, 1, polygons);
    rows.next();
  }
  const quads = new Uint32Array(points.length * 4);
  const polygonOf = new Uint32Array(points.length);
  for (let f = 0; f < polygonCount; f++)
    for (let c = offsets[f]; c < offsets[f + 1]; c++) {
      const before = c === offsets[f] ? offsets[f + 1] - 1 : c - 1;
      const corners = [points[c], pointCount + edges.ofCorner[c], pointCount + edgeCount + f];
      quads.set([corners[0], corners[1], corners[2], pointCount + edges.ofCorner[before]], c * 4);
      polygonOf[c] = f;
    }
  return { pointCount: rows.count, ...rows.finish(), quads, polygonOf, creases: halves(edges, pointCount) };
}

/** Creases of the finer surface: both halves of each. */
function halves({ ends, isCrease }: Edges, pointCount: number): Uint32Array {
  const found: number[] = [];
  isCrease.forEach((own, e) => {
    if (own === 1) found.push(ends[e * 2], pointCount + e, pointCount + e, ends[e * 2 + 1]);
  });
  return new Uint32Array(found);
}

/** Steps one after the other, as many as wanted. @param creases Uint32Array, two points an edge */
export function subdivide(
  polygons: Polygons,
  pointCount: number,
  levels: number,
  creases?: Uint32Array,
): SubdivisionStep[] {
  const steps: SubdivisionStep[] = [];
  let [own, count, sharp] = [polygons, pointCount, creases];
  for (let level = 0; level < levels; level++) {
    const step = subdivideOnce(own, count, sharp);
    steps.push(step);
    sharp = step.creases;
    own = {
      offsets: Uint32Array.from({ length: step.quads.length / 4 + 1 }, (_, q) => q * 4),
      points: step.quads,
    };
    count = step.pointCount;
  }
  return steps;
}

/**
 * Numbers of old points carried onto the new ones.
 * @param width numbers a point
 * @param to    width a new point
 */
export function refine(
  { pointCount, offsets, sources, shares }: SubdivisionStep,
  from: ArrayLike<number>,
  width: 1 | 3,
  to: Float32Array,
): void {
  if (width === 1) {
    for (let p = 0; p < pointCount; p++) {
      let sum = 0;
      for (let k = offsets[p]; k < offsets[p + 1]; k++) sum += shares[k] * from[sources[k]];
      to[p] = sum;
    }
    return;
  }
  for (let p = 0; p < pointCount; p++) {
    let [x, y, z] = [0, 0, 0];
    for (let k = offsets[p]; k < offsets[p + 1]; k++) {
      const at = sources[k] * 3;
      const share = shares[k];
      x += share * from[at];
      y += share * from[at + 1];
      z += share * from[at + 2];
    }
    to[p * 3] = x;
    to[p * 3 + 1] = y;
    to[p * 3 + 2] = z;
  }
}

/** Places and normals carried onto the new points, in one way through the sums: three numbers a point each. */
export function refineSurface(
  { pointCount, offsets, sources, shares }: SubdivisionStep,
  places: Float32Array,
  normals: Float32Array,
  toPlaces: Float32Array,
  toNormals: Float32Array,
): void {
  let k = 0;
  for (let p = 0, to = 0; p < pointCount; p++, to += 3) {
    let [x, y, z, nx, ny, nz] = [0, 0, 0, 0, 0, 0];
    for (const end = offsets[p + 1]; k < end; k++) {
      const at = sources[k] * 3;
      const share = shares[k];
      x += share * places[at];
      y += share * places[at + 1];
      z += share * places[at + 2];
      nx += share * normals[at];
      ny += share * normals[at + 1];
      nz += share * normals[at + 2];
    }
    toPlaces[to] = x;
    toPlaces[to + 1] = y;
    toPlaces[to + 2] = z;
    toNormals[to] = nx;
    toNormals[to + 1] = ny;
    toNormals[to + 2] = nz;
  }
}

interface Edges {
  /** Uint32Array, two points an edge. */
  readonly ends: Uint32Array;
  /** By corner: the edge from it to the next one. */
  readonly ofCorner: Uint32Array;
  /** Int32Array, two an edge: its polygons; −1 where there is one alone, −2 at the second where there are more than two. */
  readonly polygons: Int32Array;
  readonly isCrease: Uint8Array;
}

function edgesOfPolygons({ offsets, points }: Polygons, creases: Uint32Array | undefined): Edges {
  const known = new Map<number, number>();
  const ofCorner = new Uint32Array(points.length);
  const ends: number[] = [];
  const polygons: number[] = [];
  for (let f = 0; f + 1 < offsets.length; f++)
    for (let c = offsets[f]; c < offsets[f + 1]; c++) {
      const [a, b] = [points[c], points[c + 1 === offsets[f + 1] ? offsets[f] : c + 1]];
      const key = keyOf(a, b);
      let edge = known.get(key);
      if (edge === undefined) {
        edge = ends.length / 2;
        known.set(key, edge);
        ends.push(a, b);
        polygons.push(f, -1);
      } else polygons[edge * 2 + 1] = polygons[edge * 2 + 1] === -1 ? f : -2;
      ofCorner[c] = edge;
    }
  const isCrease = new Uint8Array(ends.length / 2);
  for (let k = 0; creases && k < creases.length; k += 2) {
    const edge = known.get(keyOf(creases[k], creases[k + 1]));
    if (edge !== undefined) isCrease[edge] = 1;
  }
  return { ends: new Uint32Array(ends), ofCorner, polygons: new Int32Array(polygons), isCrease };
}

const keyOf = (a: number, b: number): number => Math.min(a, b) * 2 ** 26 + Math.max(a, b);

/** Edges and polygons about each point: compressed rows. */
interface About {
  readonly edgeOffsets: Uint32Array;
  readonly edges: Uint32Array;
  readonly faceOffsets: Uint32Array;
  readonly faces: Uint32Array;
}

function gatherAbout({ ends }: Edges, { offsets, points }: Polygons, pointCount: number): About {
  const [edgeOffsets, edges] = rowsBy(pointCount, ends, (i) => i >> 1);
  const faceOfCorner = new Uint32Array(points.length);
  for (let f = 0; f + 1 < offsets.length; f++) faceOfCorner.fill(f, offsets[f], offsets[f + 1]);
  const [faceOffsets, faces] = rowsBy(pointCount, points, (c) => faceOfCorner[c]);
  return { edgeOffsets, edges, faceOffsets, faces };
}

function rowsBy(
  count: number,
  keys: Uint32Array,
  valueOf: (at: number) => number,
): [offsets: Uint32Array, values: Uint32Array] {
  const offsets = new Uint32Array(count + 1);
  for (const key of keys) offsets[key + 1]++;
  for (let p = 0; p < count; p++) offsets[p + 1] += offsets[p];
  const ends = offsets.slice(0, count);
  const values = new Uint32Array(keys.length);
  keys.forEach((key, at) => (values[ends[key]++] = valueOf(at)));
  return [offsets, values];
}

/** Rows that are added to one after the other; what is added twice within a row is summed. */
class Rows {
  readonly offsets: Uint32Array;
  #sources = new Uint32Array(1024);
  #shares = new Float32Array(1024);
  #length = 0;
  count = 0;

  constructor(rows: number) {
    this.offsets = new Uint32Array(rows + 1);
  }

  add(source: number, share: number): void {
    for (let k = this.offsets[this.count]; k < this.#length; k++)
      if (this.#sources[k] === source) {
        this.#shares[k] += share;
        return;
      }
    if (this.#length === this.#sources.length) this.#grow();
    this.#sources[this.#length] = source;
    this.#shares[this.#length++] = share;
  }

  next(): void {
    this.offsets[++this.count] = this.#length;
  }

  finish(): Pick<SubdivisionStep, 'offsets' | 'sources' | 'shares'> {
    return {
      offsets: this.offsets,
      sources: this.#sources.slice(0, this.#length),
      shares: this.#shares.slice(0, this.#length),
    };
  }

  #grow(): void {
    const [sources, shares] = [this.#sources, this.#shares];
    this.#sources = new Uint32Array(2 * sources.length);
    this.#sources.set(sources);
    this.#shares = new Float32Array(2 * shares.length);
    this.#shares.set(shares);
  }
}

/** The middle of a polygon, by a share. */
function addMiddle(rows: Rows, f: number, share: number, { offsets, points }: Polygons): void {
  const each = share / (offsets[f + 1] - offsets[f]);
  for (let c = offsets[f]; c < offsets[f + 1]; c++) rows.add(points[c], each);
}

const isBorder = ({ polygons }: Edges, edge: number): boolean => polygons[edge * 2 + 1] < 0;
const isSharp = (edges: Edges, edge: number): boolean => isBorder(edges, edge) || edges.isCrease[edge] === 1;

function addEdge(rows: Rows, e: number, edges: Edges, polygons: Polygons): void {
  const share = isSharp(edges, e) ? 0.5 : 0.25;
  rows.add(edges.ends[e * 2], share);
  rows.add(edges.ends[e * 2 + 1], share);
  if (!isSharp(edges, e)) for (const k of [0, 1]) addMiddle(rows, edges.polygons[e * 2 + k], 0.25, polygons);
  rows.next();
}

function addPoint(rows: Rows, p: number, about: About, edges: Edges, polygons: Polygons): void {
  const own = about.edges.subarray(about.edgeOffsets[p], about.edgeOffsets[p + 1]);
  const faces = about.faces.subarray(about.faceOffsets[p], about.faceOffsets[p + 1]);
  const across = (e: number): number => edges.ends[e * 2] + edges.ends[e * 2 + 1] - p;
  const sharp = own.filter((e) => isSharp(edges, e));
  const endsHere = sharp.length === 1 && !isBorder(edges, sharp[0]);
  if (sharp.length === 2) {
    rows.add(p, 0.75);
    for (const e of sharp) rows.add(across(e), 0.125);
  } else if ((sharp.length > 0 && !endsHere) || faces.length === 0) rows.add(p, 1);
  else {
    // (F + 2R + (n − 3)P) / n: the polygons' middles, the edges' middles, and the point.
    const n = faces.length;
    rows.add(p, (n - 3) / n);
    for (const f of faces) addMiddle(rows, f, 1 / (n * n), polygons);
    for (const e of own) {
      rows.add(p, 1 / (n * own.length));
      rows.add(across(e), 1 / (n * own.length));
    }
  }
  rows.next();
}
