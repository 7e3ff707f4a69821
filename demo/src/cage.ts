import { add, cross, dot, length, normalize, scale, subtract, type Vec3 } from '@judoka/core/math';

/** Joint name → share; the shares of a cage point sum to one. */
export type Shares = Readonly<Record<string, number>>;

export interface CagePoint {
  position: Vec3;
  shares: Shares;
}

/** A quad of the cage: four points, counter-clockwise seen from outside, and a texture corner for each. */
export interface CageFace {
  points: [number, number, number, number];
  uv: [Vec2, Vec2, Vec2, Vec2];
}

export type Vec2 = readonly [number, number];

/** One cross-section of a tube: an ellipse with its own frame. */
export interface Ring {
  centre: Vec3;
  /** Where the first half-axis points; made square to the tube. */
  side: Vec3;
  /** Half-axes: along `side`, and square to it. */
  radii: Vec2;
  shares: Shares;
  /** Direction of the tube here; by default toward the next ring. */
  along?: Vec3;
}

/** A cube-map-like place in the texture for one tube: left, bottom, width, height, in 0..1. */
export type UvBox = readonly [number, number, number, number];

/**
 * A coarse mesh of quads that grows by lofting rings and by pulling tubes out of its faces. Catmull–Clark subdivision
 * turns it into a smooth surface whose loops run as the cage's do.
 */
export class Cage {
  readonly points: CagePoint[] = [];
  readonly faces: CageFace[] = [];

  addPoint(position: Vec3, shares: Shares): number {
    this.points.push({ position, shares });
    return this.points.length - 1;
  }

  addFace(points: CageFace['points'], uv: CageFace['uv']): number {
    this.faces.push({ points, uv });
    return this.faces.length - 1;
  }

  /** The points of a ring of `sides`, starting half a side past `side`, turning toward `along × side`. */
  addRing(ring: Ring, along: Vec3, sides: number, startTurn = 0.5): number[] {
    return ringPositions(ring, along, sides, startTurn).map((position) =>
      this.addPoint(position, ring.shares),
    );
  }

  /**
   * A tube through rings of `sides` points each; `closed` runs on from the last ring to the first (give `along` then).
   * @returns the points of each ring, and faces[segment][side]; side k lies between points k and k + 1 of the ring
   */
  loft(
    rings: readonly Ring[],
    sides: number,
    box: UvBox,
    closed = false,
  ): { rings: number[][]; faces: number[][] } {
    const made = rings.map((ring, i) => this.addRing(ring, directionAt(rings, i), sides));
    const faces: number[][] = [];
    const segments = closed ? made.length : made.length - 1;
    for (let i = 0; i < segments; i++)
      faces.push(this.#bridge(made[i], made[(i + 1) % made.length], box, i, segments));
    return { rings: made, faces };
  }

  /** Closes a ring of 4, 6 or 8 points with 1, 2 or 3 quads in a row. `outward`: the ring turns clockwise from outside. */
  close(points: readonly number[], box: UvBox, outward: boolean): void {
    const n = points.length;
    const ring = this.#fromForemost(points);
    for (let i = 0; i + 1 < n / 2; i++) {
      const quad: CageFace['points'] = [ring[i], ring[i + 1], ring[n - 2 - i], ring[n - 1 - i]];
      const u = (k: number): number => box[0] + box[2] * (k / (n / 2 - 1));
      const [low, high] = [box[1], box[1] + box[3]];
      const uv: CageFace['uv'] = [
        [u(i), low],
        [u(i + 1), low],
        [u(i + 1), high],
        [u(i), high],
      ];
      if (outward) this.addFace(quad, uv);
      else this.addFace([quad[3], quad[2], quad[1], quad[0]], [uv[3], uv[2], uv[1], uv[0]]);
    }
  }

  /**
   * Pulls a tube out of adjoining faces: they are taken away, and rings are bridged from the hole's rim outward. Each ring
   * gets as many points as the rim, turned so that they face the rim's.
   * @returns the tube's rings, the last first to be closed or pulled further
   */
  pull(
    faceIndices: readonly number[],
    rings: readonly Ring[],
    box: UvBox,
  ): { rings: number[][]; faces: number[][] } {
    const rim = this.#rimOf(faceIndices);
    for (const index of faceIndices) this.faces[index] = REMOVED;
    const made: number[][] = [rim];
    const rimCentre = this.#centreOf(rim);
    rings.forEach((ring, i) => {
      const along = ring.along ?? directionAt([{ ...ring, centre: rimCentre }, ...rings], i + 1);
      const previous = made[made.length - 1];
      const turn = bestTurn(
        ring,
        along,
        previous.map((p) => this.points[p].position),
      );
      made.push(this.addRing(ring, along, rim.length, turn));
    });
    const faces: number[][] = [];
    for (let i = 0; i + 1 < made.length; i++)
      faces.push(this.#bridge(made[i], made[i + 1], box, i, made.length - 1));
    return { rings: made, faces };
  }

  /** The cage without the faces that tubes were pulled out of. */
  finish(): { points: CagePoint[]; faces: CageFace[] } {
    return { points: this.points, faces: this.faces.filter((face) => face !== REMOVED) };
  }

  #bridge(
    from: readonly number[],
    to: readonly number[],
    box: UvBox,
    segment: number,
    segments: number,
  ): number[] {
    const n = from.length;
    return from.map((_, k) => {
      const next = (k + 1) % n;
      const [u0, u1] = [box[0] + (box[2] * k) / n, box[0] + (box[2] * (k + 1)) / n];
      const [v0, v1] = [box[1] + (box[3] * segment) / segments, box[1] + (box[3] * (segment + 1)) / segments];
      return this.addFace(
        [from[k], from[next], to[next], to[k]],
        [
          [u0, v0],
          [u1, v0],
          [u1, v1],
          [u0, v1],
        ],
      );
    });
  }

  /** The rim of adjoining faces, in the order in which the faces run it. */
  #rimOf(faceIndices: readonly number[]): number[] {
    const next = new Map<number, number>();
    const inner = new Set<string>();
    for (const index of faceIndices) {
      const { points } = this.faces[index];
      points.forEach((p, k) => inner.add(`${p}>${points[(k + 1) % 4]}`));
    }
    for (const edge of inner) {
      const [a, b] = edge.split('>').map(Number);
      if (!inner.has(`${b}>${a}`)) next.set(a, b);
    }
    const start = Math.min(...next.keys());
    const rim = [start];
    for (let p = next.get(start) as number; p !== start; p = next.get(p) as number) rim.push(p);
    return rim;
  }

  /**
   * The same ring, begun so that its last edge is the foremost (then the highest): the rows of quads that close it lie
   * alike on both sides of the body.
   */
  #fromForemost(ring: readonly number[]): number[] {
    const n = ring.length;
    const ahead = (k: number): number => {
      const [a, b] = [this.points[ring[(k + n - 1) % n]].position, this.points[ring[k]].position];
      return a[2] + b[2] + (a[1] + b[1]) * 1e-3;
    };
    let start = 0;
    for (let k = 1; k < n; k++) if (ahead(k) > ahead(start) + 1e-9) start = k;
    return ring.map((_, k) => ring[(k + start) % n]);
  }

  #centreOf(ring: readonly number[]): Vec3 {
    return scale(
      ring.map((p) => this.points[p].position).reduce<Vec3>((a, b) => add(a, b), [0, 0, 0]),
      1 / ring.length,
    );
  }
}

const REMOVED: CageFace = {
  points: [0, 0, 0, 0],
  uv: [
    [0, 0],
    [0, 0],
    [0, 0],
    [0, 0],
  ],
};

function directionAt(rings: readonly Ring[], i: number): Vec3 {
  const own = rings[i].along;
  if (own) return normalize(own);
  const before = rings[Math.max(0, i - 1)].centre;
  const after = rings[Math.min(rings.length - 1, i + 1)].centre;
  return normalize(subtract(after, before));
}

function ringPositions(ring: Ring, along: Vec3, sides: number, startTurn: number): Vec3[] {
  const out = normalize(subtract(ring.side, scale(along, dot(ring.side, along))));
  const up = cross(along, out);
  return Array.from({ length: sides }, (_, k) => {
    const angle = (2 * Math.PI * (k + startTurn)) / sides;
    return add(
      ring.centre,
      add(scale(out, Math.cos(angle) * ring.radii[0]), scale(up, Math.sin(angle) * ring.radii[1])),
    );
  });
}

/** The start turn, in steps of an eighth of a side, that brings a ring's points nearest to those before. */
function bestTurn(ring: Ring, along: Vec3, previous: readonly Vec3[]): number {
  let best = 0;
  let least = Infinity;
  for (let step = 0; step < previous.length * 8; step++) {
    const turn = step / 8;
    const spots = ringPositions({ ...ring, radii: [1, 1] }, along, previous.length, turn);
    const centre = scale(
      previous.reduce<Vec3>((a, b) => add(a, b), [0, 0, 0]),
      1 / previous.length,
    );
    const sum = spots.reduce((total, spot, k) => {
      const want = normalize(subtract(previous[k], centre));
      return total + length(subtract(normalize(subtract(spot, ring.centre)), want)) ** 2;
    }, 0);
    if (sum < least - 1e-9) {
      least = sum;
      best = turn;
    }
  }
  return best;
}
