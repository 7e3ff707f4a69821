import { CoreError } from '../../errors.ts';
import { type AddedVertex, cornersOf, type MeshChange, noMeshChange } from '../../mesh/meshChange.ts';
import type { Part } from '../../mesh/part.ts';
import { drawnTriangles, edgeIn, type Face, FaceMap } from './FaceMap.ts';
import { fillFace, fillQuad } from './fillFace.ts';

/** A point that was put on an edge. */
export interface PlacedPoint {
  readonly point: number;
  readonly a: number;
  readonly b: number;
  /** From a to b, 0..1. */
  readonly share: number;
}

/** An outline that is filled anew: where points were put on its sides. */
interface Outline {
  readonly points: readonly number[];
  readonly vertices: readonly number[];
  readonly isPut: readonly boolean[];
}

const MAX_OUTLINE = 200;
/** Room for so many more points is made at once. */
const SPARE = 4096;

/** Changes the mesh of a part: puts points on edges, turns edges, takes points out. Points keep their numbers. */
export class MeshEditor {
  readonly #part: Part;
  readonly #held: MeshChange;
  readonly #faces: FaceMap;
  /** Places of all points, with those that were put here. */
  #positions: Float32Array;
  readonly #vertices: AddedVertex[] = [];
  readonly #points: PlacedPoint[] = [];
  /** What was put here: vertices by the two that they lie between, points by what those stood on and by what is seen of it. */
  readonly #byVertices = new Map<string, number>();
  readonly #byPoints = new Map<string, number>();
  readonly #byEdge = new Map<string, number>();

  /** @param part as the document has it @param held how it differs from its file's already */
  constructor(part: Part, held?: MeshChange) {
    this.#part = part;
    this.#held = held ?? noMeshChange(part.pointCount);
    this.#faces = new FaceMap(part);
    this.#positions = part.positions;
  }

  get faces(): FaceMap {
    return this.#faces;
  }

  /** Points that were put here, in the order of their numbers; those of a weld too. */
  get placed(): readonly PlacedPoint[] {
    return this.#points;
  }

  /**
   * Puts points on edges; the polygons on them are divided: a quad with points on two opposite sides into two quads, other ones
   * into triangles.
   * @param places edges by their points, how far from the first to the second each point stands
   * @returns the points, in this order
   * @throws CoreError argument-invalid where two points are no edge
   */
  putOn(places: readonly Omit<PlacedPoint, 'point'>[]): number[] {
    const outlines = new Map<number, Outline>();
    const put = places.map(({ a, b, share }) => {
      const ids = this.#faces.on(a, b);
      if (ids.length === 0)
        throw new CoreError('argument-invalid', 'There is no edge between these two points.', { a, b });
      const points = ids.map((id) => {
        const { outline, point } = this.#putIn(
          outlines.get(id) ?? outlineOf(this.#faces.face(id)),
          a,
          b,
          share,
        );
        outlines.set(id, outline);
        return point;
      });
      return points[0];
    });
    for (const [id, outline] of outlines) this.#faces.replace([id], this.#divide(outline));
    return put;
  }

  /** An outline with a point on one of its sides. */
  #putIn(
    { points, vertices, isPut }: Outline,
    a: number,
    b: number,
    share: number,
  ): { outline: Outline; point: number } {
    const at = edgeIn(points, a, b);
    const [v, w] = [vertices[at], vertices[(at + 1) % points.length]];
    const [first, second] = points[at] === a ? [v, w] : [w, v];
    const { vertex, point } = this.#vertexOn(first, second, a, b, share);
    const to = at + 1;
    return {
      point,
      outline: {
        points: inserted(points, to, point),
        vertices: inserted(vertices, to, vertex),
        isPut: inserted(isPut, to, true),
      },
    };
  }

  /**
   * The vertex between two, made when first asked for, and the point that is seen there. Where the part is welded, vertices on either
   * side of the weld have a point each, which are welded again.
   */
  #vertexOn(v: number, w: number, a: number, b: number, share: number): { vertex: number; point: number } {
    const [own, other] = [this.#ownPoint(v, a), this.#ownPoint(w, b)];
    const point = remembered(this.#byPoints, keyOf(own, other, share), () =>
      this.#addPoint({ a, b, share }, own, other),
    );
    const seen = remembered(this.#byEdge, keyOf(a, b, share), () => point);
    const vertex = remembered(this.#byVertices, keyOf(v, w, share), () => {
      this.#vertices.push([v, w, share, point]);
      return this.#part.vertexCount + this.#vertices.length - 1;
    });
    return { vertex, point: seen };
  }

  /** What a vertex stood on before the part was welded. */
  #ownPoint(vertex: number, point: number): number {
    const { ownPoints, vertexCount } = this.#part;
    return ownPoints && vertex < vertexCount ? ownPoints[vertex] : point;
  }

  #addPoint(place: Omit<PlacedPoint, 'point'>, own: number, other: number): number {
    const point = this.#part.pointCount + this.#points.length;
    this.#points.push({ ...place, point });
    if (this.#positions.length < (point + 1) * 3) {
      const larger = new Float32Array(this.#positions.length + SPARE * 3);
      larger.set(this.#positions);
      this.#positions = larger;
    }
    for (let k = 0; k < 3; k++)
      this.#positions[point * 3 + k] =
        (1 - place.share) * this.#positions[own * 3 + k] + place.share * this.#positions[other * 3 + k];
    return point;
  }

  #divide(outline: Outline): Omit<Face, 'triangles'>[] {
    const { points, isPut } = outline;
    const put = isPut.flatMap((each, i) => (each ? [i] : []));
    const count = points.length;
    if (count === 6 && put.length === 2 && put[1] - put[0] === 3) {
      const from = (start: number): number[] => [0, 1, 2, 3].map((k) => (start + k) % count);
      return [cut(outline, from(put[0])), cut(outline, from(put[1]))];
    }
    if (put.length === 1) {
      // All triangles begin at the point: it is what was asked for.
      const [at] = put;
      return Array.from({ length: count - 2 }, (_, k) =>
        cut(outline, [at, (at + k + 1) % count, (at + k + 2) % count]),
      );
    }
    return this.#filled(outline);
  }

  #filled(outline: Pick<Outline, 'points' | 'vertices'>): Omit<Face, 'triangles'>[] {
    if (outline.points.length > MAX_OUTLINE)
      throw new CoreError('argument-invalid', 'Too many faces meet there to be filled as one.');
    if (outline.points.length <= 4) return [outline];
    const places = fillFace(this.#positions, outline.points);
    return Array.from({ length: places.length / 3 }, (_, t) => cut(outline, places.slice(t * 3, t * 3 + 3)));
  }

  /**
   * Turns an edge on by one corner at each end, within the two polygons that it parts.
   * @throws CoreError argument-invalid where it cannot be turned, and why
   */
  turn(a: number, b: number): void {
    const ids = this.#faces.on(a, b);
    if (ids.length !== 2)
      throw refused(
        'An edge with faces on both sides can be turned; this one has them on one, or on several.',
      );
    const joined = join(this.#faces.face(ids[0]), this.#faces.face(ids[1]), a, b);
    if (!joined)
      throw refused('The texture, or a hard edge, is split along this edge: turned, it would tear.');
    const { outline, first } = joined;
    const count = outline.points.length;
    const [from, to] = [1, first + 1];
    if (this.#faces.on(outline.points[from], outline.points[to % count]).length > 0)
      throw refused('The edge that it would become is there already.');
    const one = Array.from({ length: to - from + 1 }, (_, k) => from + k);
    const other = Array.from({ length: count - to + from + 1 }, (_, k) => (to + k) % count);
    this.#faces.replace(ids, [cut(outline, one), cut(outline, other)]);
  }

  /**
   * Takes points out. Loops, whole or in part, go without a trace: the quads on their sides are one again. About other points the
   * surface is filled anew.
   * @throws CoreError argument-invalid where that cannot be, and why
   */
  takeOut(points: readonly number[]): void {
    const wanted = new Set(points.filter((p) => this.#faces.about(p).length > 0));
    const left = new Set(wanted);
    for (const group of this.#groups(wanted)) {
      if (group.every((p) => this.#beside(p).filter((q) => wanted.has(q)).length <= 2))
        this.#mergeAlong(group, wanted);
      for (const p of group) if (this.#passBy(p)) left.delete(p);
    }
    for (const group of this.#groups(left)) this.#fillOver(group);
  }

  /** Points on an edge with a point. */
  #beside(p: number): number[] {
    const found = new Set<number>();
    for (const id of this.#faces.about(p)) {
      const points = this.#faces.pointsOf(id);
      const at = points.indexOf(p);
      found.add(points[(at + 1) % points.length]).add(points[(at + points.length - 1) % points.length]);
    }
    return [...found];
  }

  #groups(of: ReadonlySet<number>): number[][] {
    const seen = new Set<number>();
    return [...of].flatMap((start) => {
      if (seen.has(start)) return [];
      const group = [start];
      seen.add(start);
      for (const p of group)
        for (const q of this.#beside(p))
          if (of.has(q) && !seen.has(q)) {
            seen.add(q);
            group.push(q);
          }
      return [group];
    });
  }

  /** Makes the faces on either side of edges between wanted points one. */
  #mergeAlong(group: readonly number[], wanted: ReadonlySet<number>): void {
    for (const a of group)
      for (const b of this.#beside(a)) {
        if (b < a || !wanted.has(b)) continue;
        const ids = this.#faces.on(a, b);
        const joined = ids.length === 2 && join(this.#faces.face(ids[0]), this.#faces.face(ids[1]), a, b);
        if (joined && new Set(joined.outline.points).size === joined.outline.points.length)
          this.#faces.replace(ids, [joined.outline]);
      }
  }

  /** Leaves a point out that only lies on a side: its two neighbours are all that it has. */
  #passBy(p: number): boolean {
    const ids = this.#faces.about(p);
    if (this.#beside(p).length !== 2 || ids.some((id) => this.#faces.pointsOf(id).length < 4)) return false;
    for (const id of ids) {
      const { points, vertices } = this.#faces.face(id);
      const at = points.indexOf(p);
      this.#faces.replace([id], [{ points: without(points, at), vertices: without(vertices, at) }]);
    }
    return true;
  }

  /** Takes the faces about points away and fills what is left open. */
  #fillOver(group: readonly number[]): void {
    const isOut = new Set(group);
    const ids = [...new Set(group.flatMap((p) => this.#faces.about(p)))];
    if (ids.length === 0) return;
    const outline = borderOf(ids.map((id) => this.#faces.face(id)));
    const kept = outline.flatMap(({ point, vertex }) => (isOut.has(point) ? [] : [{ point, vertex }]));
    if (kept.length < 3) throw refused('Nothing would be left of the surface there: take fewer points out.');
    this.#faces.replace(
      ids,
      this.#filled({ points: kept.map(({ point }) => point), vertices: kept.map(({ vertex }) => vertex) }),
    );
  }

  /** How the part differs from its file's now. */
  result(): MeshChange {
    const { gone, made } = this.#faces.result();
    const drawn = drawnTriangles(this.#part);
    const all = cornersOf(this.#part).length / 3;
    const kept = all - this.#held.faces.length / 3;
    const isGone = new Uint8Array(all);
    for (const t of gone) isGone[drawn ? drawn[t] : t] = 1;
    const faces = this.#held.faces.filter((_, i) => isGone[kept + Math.floor(i / 3)] === 0);
    for (const face of made) pushApart(faces, this.#triangles(face));
    return {
      from: this.#held.from,
      points: this.#part.pointCount + this.#points.length,
      vertices: [...this.#held.vertices, ...this.#vertices],
      removed: nowRemoved(this.#held.removed, isGone.subarray(0, kept)),
      faces,
    };
  }

  #triangles({ points, vertices }: Face): number[] {
    const fill = points.length === 4 ? fillQuad : fillFace;
    return fill(this.#positions, points).map((at) => vertices[at]);
  }
}

/**
 * Adds the triangles of a polygon. Two in a row that begin with one corner are read as a quad: those of different polygons must not.
 */
function pushApart(faces: number[], triangles: readonly number[]): void {
  const [a, , c] = faces.slice(-3);
  const isFan = faces.length > 0 && triangles[0] === a && triangles[1] === c;
  const [p, q, r, , , s] = triangles;
  if (!isFan) faces.push(...triangles);
  else if (triangles.length === 6 && triangles[3] === p && triangles[4] === r) faces.push(r, s, p, r, p, q);
  else faces.push(q, r, p, ...triangles.slice(3));
}

const refused = (sentence: string): CoreError => new CoreError('argument-invalid', sentence);
const keyOf = (a: number, b: number, share: number): string => `${a} ${b} ${share}`;

function remembered(known: Map<string, number>, key: string, make: () => number): number {
  const held = known.get(key);
  if (held !== undefined) return held;
  const made = make();
  known.set(key, made);
  return made;
}

const inserted = <T>(list: readonly T[], at: number, item: T): T[] => [
  ...list.slice(0, at),
  item,
  ...list.slice(at),
];
const without = <T>(list: readonly T[], at: number): T[] => list.filter((_, i) => i !== at);
const outlineOf = ({ points, vertices }: Face): Outline => ({
  points,
  vertices,
  isPut: points.map(() => false),
});

const cut = (
  { points, vertices }: Pick<Outline, 'points' | 'vertices'>,
  places: readonly number[],
): Omit<Face, 'triangles'> => ({
  points: places.map((at) => points[at]),
  vertices: places.map((at) => vertices[at]),
});

/** Triangles of the file that are gone: those before, and of the others those that went now. */
function nowRemoved(before: readonly number[], isGone: Uint8Array): number[] {
  const held = new Set(before);
  const removed = [...before];
  for (let file = 0, at = 0; at < isGone.length; file++) {
    if (held.has(file)) continue;
    if (isGone[at++] === 1) removed.push(file);
  }
  return removed.sort((a, b) => a - b);
}

/**
 * Two polygons as one across their edge.
 * @returns the outline, which begins with one end of the edge, and where the other stands; nothing where their vertices differ
 */
function join(
  one: Face,
  other: Face,
  a: number,
  b: number,
): { readonly outline: Omit<Face, 'triangles'>; readonly first: number } | undefined {
  const [i, j] = [edgeIn(one.points, a, b), edgeIn(other.points, a, b)];
  // From the edge's end on, all the way around to where it begins.
  const [own, theirs] = [turned(one, i + 1), turned(other, j + 1)];
  const last = own.points.length - 1;
  if (own.vertices[0] !== theirs.vertices.at(-1) || own.vertices[last] !== theirs.vertices[0])
    return undefined;
  return {
    first: last,
    outline: {
      points: [...own.points, ...theirs.points.slice(1, -1)],
      vertices: [...own.vertices, ...theirs.vertices.slice(1, -1)],
    },
  };
}

function turned({ points, vertices }: Face, from: number): Omit<Face, 'triangles'> {
  return cut(
    { points, vertices },
    points.map((_, k) => (from + k) % points.length),
  );
}

/** What runs around faces that hang together: corner by corner. @throws CoreError argument-invalid where that is no single line */
function borderOf(faces: readonly Face[]): { readonly point: number; readonly vertex: number }[] {
  const inner = new Set(
    faces.flatMap(({ points }) => points.map((p, i) => `${points[(i + 1) % points.length]} ${p}`)),
  );
  const next = new Map<number, { readonly to: number; readonly vertex: number; readonly ends: number }>();
  for (const { points, vertices } of faces)
    points.forEach((p, i) => {
      const k = (i + 1) % points.length;
      if (inner.has(`${p} ${points[k]}`)) return;
      if (next.has(p)) throw refused('The surface meets itself there: take fewer points out.');
      next.set(p, { to: points[k], vertex: vertices[i], ends: vertices[k] });
    });
  const out: { point: number; vertex: number }[] = [];
  const start = next.keys().next().value;
  for (let p = start; p !== undefined && out.length < next.size;) {
    const step = next.get(p);
    if (!step) break;
    out.push({ point: p, vertex: step.vertex });
    const following = next.get(step.to);
    if (following && following.vertex !== step.ends)
      throw refused(
        'The texture is split there: filled anew, it would tear. Take out whole loops, or fewer points.',
      );
    p = step.to;
    if (p === start) break;
  }
  if (out.length !== next.size || out.length < 3)
    throw refused('These points go all around the surface: take out fewer, or whole loops.');
  return out;
}
