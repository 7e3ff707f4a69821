/** A closed surface about places, coarse. */
export interface Cage {
  /** Float32Array, 3 a point. */
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
}

/** Nearer than this share of the cage's size a place is on a point or a face. */
const ON_CAGE = 1e-7;
/** A face whose sides are seen under all but this of a full turn is the one that the place is on. */
const ON_FACE = 1e-6;

/**
 * Mean value coordinates in a closed cage of triangles (Ju, Schaefer, Warren 2005, “Mean value coordinates for closed triangular
 * meshes”): how much of each point of the cage a place is made of, so that whatever linear map is done to the points is done to
 * the place. By the edges' own angles (Floater, Kós, Reimers 2005), each once. Holds room that is used again.
 */
export class MeanValueCoordinates {
  readonly #cage: Cage;
  readonly #tiny: number;
  /** Two points an edge; by corner of a face, the edge from it to the next, and −1 if it is run backwards, else 1. */
  readonly #edges: Uint32Array;
  readonly #sides: Uint32Array;
  readonly #signs: Float64Array;
  /** By point: the direction to it, and how far it is. */
  readonly #directions: Float64Array;
  readonly #distances: Float64Array;
  /** By edge: the normal of its plane with the place, as long as the angle that it is seen under; and that angle. */
  readonly #normals: Float64Array;
  readonly #angles: Float64Array;

  constructor(cage: Cage) {
    const { positions, triangles } = cage;
    this.#cage = cage;
    const { edges, sides, signs } = listSides(triangles, positions.length / 3);
    this.#edges = edges;
    this.#sides = sides;
    this.#signs = signs;
    this.#directions = new Float64Array(positions.length);
    this.#distances = new Float64Array(positions.length / 3);
    this.#normals = new Float64Array((edges.length / 2) * 3);
    this.#angles = new Float64Array(edges.length / 2);
    let size = 0;
    for (const x of positions) size = Math.max(size, Math.abs(x));
    this.#tiny = ON_CAGE * Math.max(size, 1e-30);
  }

  /** @param out the coordinates of a place, one a point of the cage, summing to one: out[from ..] */
  write(x: number, y: number, z: number, out: Float32Array, from: number): void {
    const count = this.#distances.length;
    out.fill(0, from, from + count);
    const on = this.#look(x, y, z);
    if (on >= 0) {
      out[from + on] = 1;
      return;
    }
    this.#lookAtEdges();
    const face = this.#addFaces(out, from);
    if (face >= 0) {
      this.#putOnFace(face, out, from);
      return;
    }
    let sum = 0;
    for (let i = from; i < from + count; i++) sum += out[i];
    for (let i = from; i < from + count; i++) out[i] /= sum;
  }

  /** @returns the point that the place is on; -1 for none */
  #look(x: number, y: number, z: number): number {
    const { positions } = this.#cage;
    const to = this.#directions;
    for (let p = 0, at = 0; at < positions.length; p++, at += 3) {
      const dx = positions[at] - x;
      const dy = positions[at + 1] - y;
      const dz = positions[at + 2] - z;
      const far = Math.sqrt(dx * dx + dy * dy + dz * dz);
      if (far < this.#tiny) return p;
      this.#distances[p] = far;
      to[at] = dx / far;
      to[at + 1] = dy / far;
      to[at + 2] = dz / far;
    }
    return -1;
  }

  #lookAtEdges(): void {
    const to = this.#directions;
    const normals = this.#normals;
    const angles = this.#angles;
    const edges = this.#edges;
    for (let e = 0, at = 0; at < normals.length; e++, at += 3) {
      const a = edges[e * 2] * 3;
      const b = edges[e * 2 + 1] * 3;
      const nx = to[a + 1] * to[b + 2] - to[a + 2] * to[b + 1];
      const ny = to[a + 2] * to[b] - to[a] * to[b + 2];
      const nz = to[a] * to[b + 1] - to[a + 1] * to[b];
      const size = Math.sqrt(nx * nx + ny * ny + nz * nz);
      const angle = angleOf(size, to[a] * to[b] + to[a + 1] * to[b + 1] + to[a + 2] * to[b + 2]);
      const scale = size > 0 ? angle / size : 0;
      angles[e] = angle;
      normals[at] = nx * scale;
      normals[at + 1] = ny * scale;
      normals[at + 2] = nz * scale;
    }
  }

  /** Adds what each face has. @returns the face that the place is on, which is all there is; -1 for none */
  #addFaces(out: Float32Array, from: number): number {
    const normals = this.#normals;
    const angles = this.#angles;
    const to = this.#directions;
    const sides = this.#sides;
    const signs = this.#signs;
    const distances = this.#distances;
    const { triangles } = this.#cage;
    for (let t = 0; t < triangles.length; t += 3) {
      const e0 = sides[t];
      const e1 = sides[t + 1];
      const e2 = sides[t + 2];
      if (2 * Math.PI - angles[e0] - angles[e1] - angles[e2] < ON_FACE) return t;
      const s0 = signs[t];
      const s1 = signs[t + 1];
      const s2 = signs[t + 2];
      const mx = s0 * normals[e0 * 3] + s1 * normals[e1 * 3] + s2 * normals[e2 * 3];
      const my = s0 * normals[e0 * 3 + 1] + s1 * normals[e1 * 3 + 1] + s2 * normals[e2 * 3 + 1];
      const mz = s0 * normals[e0 * 3 + 2] + s1 * normals[e1 * 3 + 2] + s2 * normals[e2 * 3 + 2];
      for (let c = 0; c < 3; c++) {
        // The side that lies across from the corner.
        const e = 3 * (c === 0 ? e1 : c === 1 ? e2 : e0);
        const p = triangles[t + c];
        const over = normals[e] * to[p * 3] + normals[e + 1] * to[p * 3 + 1] + normals[e + 2] * to[p * 3 + 2];
        // Seen edge on it has no say.
        if (over < 1e-12 && over > -1e-12) continue;
        out[from + p] +=
          (normals[e] * mx + normals[e + 1] * my + normals[e + 2] * mz) / (over * distances[p]);
      }
    }
    return -1;
  }

  /** Shares of the corners of the face that the place is on: the angles about it tell its halves’ areas. */
  #putOnFace(t: number, out: Float32Array, from: number): void {
    const { triangles } = this.#cage;
    out.fill(0, from, from + this.#distances.length);
    let sum = 0;
    const shares = [0, 1, 2].map((c) => {
      const e = this.#sides[t + ((c + 1) % 3)];
      const [b, d] = [triangles[t + ((c + 1) % 3)], triangles[t + ((c + 2) % 3)]];
      const share = Math.sin(this.#angles[e]) * this.#distances[b] * this.#distances[d];
      sum += share;
      return share;
    });
    shares.forEach((share, c) => (out[from + triangles[t + c]] = share / sum));
  }
}

/** Below this a sine is as good as its angle. */
const SMALL = 1e-4;

/** The angle of a sine, not below zero, and a cosine, to 3e-8 (Abramowitz, Stegun 1964, 4.4.46). */
function angleOf(sine: number, cosine: number): number {
  if (sine < SMALL) return cosine > 0 ? sine : Math.PI - sine;
  const x = cosine < 0 ? -cosine : cosine;
  let sum = -0.0012624911;
  sum = sum * x + 0.0066700901;
  sum = sum * x - 0.0170881256;
  sum = sum * x + 0.030891881;
  sum = sum * x - 0.0501743046;
  sum = sum * x + 0.0889789874;
  sum = sum * x - 0.2145988016;
  sum = sum * x + 1.570796305;
  // 1 − x as the cosine alone has it loses what the sine still says.
  const angle = (sine / Math.sqrt(1 + x)) * sum;
  return cosine < 0 ? Math.PI - angle : angle;
}

/** Edges of faces, each once, and which of them the sides of each face are. */
function listSides(
  triangles: Uint32Array,
  pointCount: number,
): { edges: Uint32Array; sides: Uint32Array; signs: Float64Array } {
  const numbers = new Map<number, number>();
  const edges: number[] = [];
  const signs = new Float64Array(triangles.length);
  const sides = triangles.map((a, i) => {
    const b = triangles[i % 3 === 2 ? i - 2 : i + 1];
    const key = Math.min(a, b) * pointCount + Math.max(a, b);
    let number = numbers.get(key);
    if (number === undefined) {
      numbers.set(key, (number = numbers.size));
      edges.push(Math.min(a, b), Math.max(a, b));
    }
    signs[i] = a < b ? 1 : -1;
    return number;
  });
  return { edges: Uint32Array.from(edges), sides, signs };
}
