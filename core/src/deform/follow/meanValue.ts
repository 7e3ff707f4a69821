import { type KernelMemory, PLAIN_MEMORY } from '../../memory/kernelMemory.ts';

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
/** The least volume of the directions to a face's corners: below it a face is seen edge on, and has no say. */
const EDGE_ON = 1e-12;
/** From here on, the place is not on the face: its sides miss more of a full turn than that. */
const NEAR_PLANE = 0.01;
/** Where the place is on the face, the widest of its sides is seen under a third of a turn at least: over its sine, more than this. */
const WIDE = 2.4;

/** A cage laid out for its coordinates, with room for what is looked at from a place; twice as much as one place takes. */
export interface CageWork extends Cage {
  /** Two points an edge; by corner of a face, the edge from it to the next. */
  readonly edges: Uint32Array;
  readonly sides: Uint32Array;
  /** By point: the direction to it, one over how far it is, and what it has. */
  readonly directions: Float64Array;
  readonly nearness: Float64Array;
  readonly sums: Float64Array;
  /** By edge: the angle between the directions to its ends, over its sine. */
  readonly scales: Float64Array;
}

/** Lays a cage out in a memory. */
export function layCage(memory: KernelMemory, { positions, triangles }: Cage): CageWork {
  const { edges, sides } = listSides(triangles, positions.length / 3);
  const keep = <T extends Float32Array | Float64Array | Uint32Array>(room: T, from: T): T => {
    // Memory that only counts has no room.
    if (room.length > 0) room.set(from);
    return room;
  };
  return {
    positions: keep(memory.f32(positions.length), positions),
    triangles: keep(memory.u32(triangles.length), triangles),
    edges: keep(memory.u32(edges.length), edges),
    sides: keep(memory.u32(sides.length), sides),
    directions: memory.f64(positions.length * 2),
    nearness: memory.f64((positions.length / 3) * 2),
    sums: memory.f64((positions.length / 3) * 2),
    scales: memory.f64(edges.length),
  };
}

/** A place nearer to a point of the cage than this is on it. */
export function nearestOf({ positions }: Cage): number {
  let size = 0;
  for (const x of positions) size = Math.max(size, Math.abs(x));
  return ON_CAGE * Math.max(size, 1e-30);
}

/**
 * Mean value coordinates in a closed cage of triangles (Ju, Schaefer, Warren 2005, “Mean value coordinates for closed triangular
 * meshes”): how much of each point of the cage a place is made of, so that whatever linear map is done to the points is done to
 * the place. By the edges' own angles (Floater, Kós, Reimers 2005), each once. Holds room that is used again; for many places
 * see {@link coordinatesInCage}.
 */
export class MeanValueCoordinates {
  readonly #cage: CageWork;
  readonly #tiny: number;

  constructor(cage: Cage) {
    this.#cage = layCage(PLAIN_MEMORY, cage);
    this.#tiny = nearestOf(cage);
  }

  /** @param out the coordinates of a place, one a point of the cage, summing to one: out[from ..] */
  write(x: number, y: number, z: number, out: Float32Array, from: number): void {
    const { sums, nearness, positions } = this.#cage;
    const count = positions.length / 3;
    out.fill(0, from, from + count);
    const on = this.#look(x, y, z);
    if (on >= 0) {
      out[from + on] = 1;
      return;
    }
    this.#lookAtEdges();
    const face = this.#addFaces();
    if (face >= 0) {
      this.#putOnFace(face, out, from);
      return;
    }
    let sum = 0;
    for (let p = 0; p < count; p++) sum += sums[p] *= nearness[p];
    const whole = 1 / sum;
    for (let p = 0; p < count; p++) out[from + p] = sums[p] * whole;
  }

  /** @returns the point that the place is on; -1 for none */
  #look(x: number, y: number, z: number): number {
    const { positions, directions: to, nearness } = this.#cage;
    for (let p = 0, at = 0; at < positions.length; p++, at += 3) {
      const dx = positions[at] - x;
      const dy = positions[at + 1] - y;
      const dz = positions[at + 2] - z;
      const far = Math.sqrt(dx * dx + dy * dy + dz * dz);
      if (far < this.#tiny) return p;
      const inverse = (nearness[p] = 1 / far);
      to[at] = dx * inverse;
      to[at + 1] = dy * inverse;
      to[at + 2] = dz * inverse;
    }
    return -1;
  }

  #lookAtEdges(): void {
    const { directions: to, scales, edges } = this.#cage;
    for (let e = 0; e * 2 < edges.length; e++) {
      const [a, b] = [edges[e * 2] * 3, edges[e * 2 + 1] * 3];
      scales[e] = angleOverSine(to[a] * to[b] + to[a + 1] * to[b + 1] + to[a + 2] * to[b + 2]);
    }
  }

  /**
   * Adds what each face has, but for the distances of its corners. Its sides are planes through the place: a, b and c are across
   * them, as the face is run.
   * @returns the face that the place is on, which is all there is; -1 for none
   */
  #addFaces(): number {
    const { triangles, sides, directions: to, scales, sums } = this.#cage;
    sums.fill(0);
    for (let t = 0; t < triangles.length; t += 3) {
      const [p, q, r] = [triangles[t], triangles[t + 1], triangles[t + 2]];
      const [px, py, pz] = [to[p * 3], to[p * 3 + 1], to[p * 3 + 2]];
      const [qx, qy, qz] = [to[q * 3], to[q * 3 + 1], to[q * 3 + 2]];
      const [rx, ry, rz] = [to[r * 3], to[r * 3 + 1], to[r * 3 + 2]];
      const [ax, ay, az] = [py * qz - pz * qy, pz * qx - px * qz, px * qy - py * qx];
      const [bx, by, bz] = [qy * rz - qz * ry, qz * rx - qx * rz, qx * ry - qy * rx];
      const [cx, cy, cz] = [ry * pz - rz * py, rz * px - rx * pz, rx * py - ry * px];
      const volume = bx * px + by * py + bz * pz;
      const size = Math.abs(volume);
      const [ea, eb, ec] = [scales[sides[t]], scales[sides[t + 1]], scales[sides[t + 2]]];
      if (size < NEAR_PLANE && Math.max(ea, eb, ec) > WIDE && this.#isOn(t)) return t;
      if (size < EDGE_ON) continue;
      const inverse = 1 / volume;
      const sa = ea * inverse;
      const sb = eb * inverse;
      const sc = ec * inverse;
      const mx = sa * ax + sb * bx + sc * cx;
      const my = sa * ay + sb * by + sc * cy;
      const mz = sa * az + sb * bz + sc * cz;
      sums[p] += bx * mx + by * my + bz * mz;
      sums[q] += cx * mx + cy * my + cz * mz;
      sums[r] += ax * mx + ay * my + az * mz;
    }
    return -1;
  }

  #isOn(t: number): boolean {
    let sum = 0;
    for (let c = 0; c < 3; c++) sum += this.#angle(t, c);
    return 2 * Math.PI - sum < ON_FACE;
  }

  /** Under what angle a side of a face is seen, from one of its corners to the next. */
  #angle(t: number, c: number): number {
    const { triangles, directions: to, scales, sides } = this.#cage;
    const [a, b] = [triangles[t + c] * 3, triangles[t + ((c + 1) % 3)] * 3];
    const x = to[a + 1] * to[b + 2] - to[a + 2] * to[b + 1];
    const y = to[a + 2] * to[b] - to[a] * to[b + 2];
    const z = to[a] * to[b + 1] - to[a + 1] * to[b];
    return scales[sides[t + c]] * Math.sqrt(x * x + y * y + z * z);
  }

  /** Shares of the corners of the face that the place is on: the angles about it tell its halves’ areas. */
  #putOnFace(t: number, out: Float32Array, from: number): void {
    const { triangles, nearness } = this.#cage;
    let sum = 0;
    const shares = [0, 1, 2].map((c) => {
      const [b, d] = [triangles[t + ((c + 1) % 3)], triangles[t + ((c + 2) % 3)]];
      const share = Math.sin(this.#angle(t, (c + 1) % 3)) / (nearness[b] * nearness[d]);
      sum += share;
      return share;
    });
    shares.forEach((share, c) => (out[from + triangles[t + c]] = share / sum));
  }
}

/** Nearer than this to the opposite direction, an angle over its sine is not told any more. */
const OPPOSITE = 1e-14;

/**
 * An angle over its sine, of its cosine, to 1e-7. Over [0, 1] that is the Chebyshev sum of degree eight, in 2x − 1: smooth, so
 * that no root is needed; the rest is what it lacks of half a turn.
 */
function angleOverSine(cosine: number): number {
  const x = cosine < 0 ? -cosine : cosine;
  const t = 2 * x - 1;
  let sum = 0.0000689596399734;
  sum = sum * t - 0.000213703378471;
  sum = sum * t + 0.000530057624264;
  sum = sum * t - 0.00173783679807;
  sum = sum * t + 0.00586703709667;
  sum = sum * t - 0.0198471546249;
  sum = sum * t + 0.0697325042766;
  sum = sum * t - 0.263599378676;
  sum = sum * t + 1.20919959007;
  return cosine < 0 ? Math.PI / Math.sqrt(Math.max(OPPOSITE, 1 - x * x)) - sum : sum;
}

/** Edges of faces, each once, and which of them the sides of each face are. */
function listSides(triangles: Uint32Array, pointCount: number): { edges: Uint32Array; sides: Uint32Array } {
  const numbers = new Map<number, number>();
  const edges: number[] = [];
  const sides = triangles.map((a, i) => {
    const b = triangles[i % 3 === 2 ? i - 2 : i + 1];
    const key = Math.min(a, b) * pointCount + Math.max(a, b);
    let number = numbers.get(key);
    if (number === undefined) {
      numbers.set(key, (number = numbers.size));
      edges.push(Math.min(a, b), Math.max(a, b));
    }
    return number;
  });
  return { edges: Uint32Array.from(edges), sides };
}
