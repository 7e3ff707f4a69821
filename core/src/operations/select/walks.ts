import type { Polygons } from '../../mesh/polygons.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { influenceCount, type WeightRows } from '../../weights/rows.ts';
import type { PointMask } from '../../mesh/masks.ts';

/** The points of a walk over quads, and where it had to stop: at a triangle, an odd point, or the open border. */
export interface Walk {
  readonly points: readonly number[];
  /** Up to two points where the way does not go straight on; none where the walk came back to its start. */
  readonly stops: readonly number[];
}

export type WalkKind = 'loop' | 'ring';

/** Who is beside an edge: for walks over the quads of one part. Made once a part. */
export class QuadWalker {
  readonly #polygons: Polygons;
  readonly #neighbours: Neighbours;
  readonly #starts: Uint32Array;
  readonly #atPoint: Uint32Array;
  readonly #polygonOf: Uint32Array;

  constructor(polygons: Polygons, neighbours: Neighbours) {
    this.#polygons = polygons;
    this.#neighbours = neighbours;
    const { offsets, points } = polygons;
    const count = neighbours.offsets.length - 1;
    this.#starts = new Uint32Array(count + 1);
    for (const p of points) this.#starts[p + 1]++;
    for (let p = 0; p < count; p++) this.#starts[p + 1] += this.#starts[p];
    const ends = this.#starts.slice(0, count);
    this.#atPoint = new Uint32Array(points.length);
    this.#polygonOf = new Uint32Array(points.length);
    for (let polygon = 0; polygon + 1 < offsets.length; polygon++) {
      for (let c = offsets[polygon]; c < offsets[polygon + 1]; c++) {
        this.#polygonOf[c] = polygon;
        this.#atPoint[ends[points[c]]++] = c;
      }
    }
  }

  /** Straight on from an edge, through points where four quads meet; along an open border, along it. */
  loop(a: number, b: number): Walk {
    const ahead = this.#goOn(a, b);
    if (ahead.closed) return { points: [a, ...ahead.points.slice(0, -1)], stops: [] };
    const back = this.#goOn(b, a, new Set(ahead.points));
    const points = [...back.points.reverse(), ...ahead.points];
    return { points: [...new Set(points)], stops: [points[0], points[points.length - 1]] };
  }

  /** Across quads from an edge to the opposite one, both ends of each: the rungs of a ladder. */
  ring(a: number, b: number): Walk {
    const ahead = this.#climb(a, b);
    if (ahead.closed) return { points: [...new Set([a, b, ...ahead.points])], stops: [] };
    const back = this.#climb(b, a);
    const points = [...new Set([...back.points.reverse(), a, b, ...ahead.points])];
    return { points, stops: [ahead.last, back.last].flat() };
  }

  /**
   * Turns for a walk that stopped, by the point that chooses one, as the edge to go on from. A loop goes on to any
   * neighbour of its end. A ring that met a triangle turns about either end of its last rung.
   */
  turns(kind: WalkKind, { points, stops }: Walk): Map<number, readonly [number, number]> {
    const turns = new Map<number, readonly [number, number]>();
    if (kind === 'loop') {
      const known = new Set(points);
      const near = this.#neighbours;
      for (const stop of stops)
        for (let e = near.offsets[stop]; e < near.offsets[stop + 1]; e++)
          if (!known.has(near.points[e])) turns.set(near.points[e], [stop, near.points[e]]);
      return turns;
    }
    for (let i = 0; i + 1 < stops.length; i += 2) {
      const [from, to] = [stops[i], stops[i + 1]];
      const corner = this.#edge(from, to);
      if (corner < 0 || this.#size(corner) !== 3) continue;
      const tip = this.#point(this.#before(corner));
      turns.set(from, [from, tip]).set(to, [tip, to]);
    }
    return turns;
  }

  /** The walk with what follows from one of its turns; other ends stay where they stopped. */
  goOn(kind: WalkKind, walk: Walk, [a, b]: readonly [number, number]): Walk {
    const known = new Set(walk.points);
    if (kind === 'loop') {
      const further = this.#goOn(a, b, known).points;
      const last = further[further.length - 1];
      const stops = [...walk.stops.filter((stop) => stop !== a), ...(known.has(last) ? [] : [last])];
      return { points: [...new Set([...walk.points, ...further])], stops };
    }
    const { points, closed, last } = this.#climb(a, b, known);
    const others: number[] = [];
    for (let i = 0; i + 1 < walk.stops.length; i += 2)
      if (![walk.stops[i], walk.stops[i + 1]].some((stop) => stop === a || stop === b))
        others.push(walk.stops[i], walk.stops[i + 1]);
    return {
      points: [...new Set([...walk.points, a, b, ...points])],
      stops: closed ? others : [...others, ...last],
    };
  }

  /** The open border that a point lies on; nothing inside the surface. */
  border(start: number): Walk {
    const points: number[] = [];
    const seen = new Set<number>();
    const stack = [start];
    while (stack.length > 0) {
      const p = stack.pop() as number;
      if (seen.has(p)) continue;
      seen.add(p);
      const open = this.#openNeighbours(p);
      if (open.length === 0) continue;
      points.push(p);
      stack.push(...open);
    }
    return { points, stops: [] };
  }

  #openNeighbours(p: number): number[] {
    const { offsets, points } = this.#neighbours;
    const open: number[] = [];
    for (let e = offsets[p]; e < offsets[p + 1]; e++) if (this.#isOpen(p, points[e])) open.push(points[e]);
    return open;
  }

  #isOpen(a: number, b: number): boolean {
    return this.#edge(a, b) < 0 !== this.#edge(b, a) < 0;
  }

  #goOn(from: number, through: number, until = new Set<number>()): { points: number[]; closed: boolean } {
    const points = [through];
    let [a, b] = [from, through];
    for (;;) {
      const next = this.#straightOn(a, b);
      if (next < 0) return { points, closed: false };
      points.push(next);
      if (next === from) return { points, closed: true };
      if (until.has(next) || points.length > this.#starts.length) return { points, closed: false };
      [a, b] = [b, next];
    }
  }

  /** The neighbour of `b` opposite to `a`: four edges, all quads; on an open border the next one along it. */
  #straightOn(a: number, b: number): number {
    const { offsets, points } = this.#neighbours;
    if (this.#isOpen(a, b)) return this.#openNeighbours(b).find((p) => p !== a) ?? -1;
    if (offsets[b + 1] - offsets[b] !== 4 || this.#starts[b + 1] - this.#starts[b] !== 4) return -1;
    const beside = new Set<number>();
    for (let i = this.#starts[b]; i < this.#starts[b + 1]; i++) {
      const corner = this.#atPoint[i];
      if (this.#size(corner) !== 4) return -1;
      const [before, after] = [this.#point(this.#before(corner)), this.#point(this.#next(corner))];
      if (before === a || after === a) {
        beside.add(before);
        beside.add(after);
      }
    }
    for (let e = offsets[b]; e < offsets[b + 1]; e++) if (!beside.has(points[e])) return points[e];
    return -1;
  }

  /** @param until where both ends of a rung are in it, the walk has come back */
  #climb(
    a: number,
    b: number,
    until?: ReadonlySet<number>,
  ): { points: number[]; closed: boolean; last: number[] } {
    const points: number[] = [];
    let [from, to] = [a, b];
    for (let steps = 0; steps < this.#polygonOf.length; steps++) {
      const corner = this.#edge(from, to);
      if (corner < 0 || this.#size(corner) !== 4) return { points, closed: false, last: [from, to] };
      const c = this.#point(this.#next(this.#next(corner)));
      const d = this.#point(this.#before(corner));
      points.push(c, d);
      if ((d === a && c === b) || (d === b && c === a) || (until?.has(c) && until.has(d)))
        return { points, closed: true, last: [] };
      // Entered from the other side, the opposite edge runs on the same way round.
      [from, to] = [d, c];
    }
    return { points, closed: false, last: [from, to] };
  }

  #edge(a: number, b: number): number {
    for (let i = this.#starts[a]; i < this.#starts[a + 1]; i++)
      if (this.#point(this.#next(this.#atPoint[i])) === b) return this.#atPoint[i];
    return -1;
  }

  #point(corner: number): number {
    return this.#polygons.points[corner];
  }

  #size(corner: number): number {
    const polygon = this.#polygonOf[corner];
    return this.#polygons.offsets[polygon + 1] - this.#polygons.offsets[polygon];
  }

  #next(corner: number): number {
    const polygon = this.#polygonOf[corner];
    return corner + 1 < this.#polygons.offsets[polygon + 1] ? corner + 1 : this.#polygons.offsets[polygon];
  }

  #before(corner: number): number {
    const polygon = this.#polygonOf[corner];
    return corner > this.#polygons.offsets[polygon] ? corner - 1 : this.#polygons.offsets[polygon + 1] - 1;
  }
}

/** Points whose weight of a joint lies in a range, ends included. */
export function weightRangeMask(column: Float32Array, least: number, most: number): PointMask {
  return Uint8Array.from(column, (weight) => (weight >= least && weight <= most ? 1 : 0));
}

/** Points with a number of influences in a range, ends included. */
export function influenceMask(rows: WeightRows, least: number, most: number): PointMask {
  return Uint8Array.from({ length: rows.pointCount }, (_, p) => {
    const count = influenceCount(rows, p);
    return count >= least && count <= most ? 1 : 0;
  });
}

/** Points where weights jump: some neighbour's row is further away than `least` (half the summed difference, 0 to 1). */
export function jumpMask(rows: WeightRows, { offsets, points }: Neighbours, least: number): PointMask {
  const mask = new Uint8Array(rows.pointCount);
  for (let p = 0; p < rows.pointCount; p++) {
    for (let e = offsets[p]; e < offsets[p + 1] && !mask[p]; e++)
      if (rowDistance(rows, p, points[e]) > least) mask[p] = 1;
  }
  return mask;
}

/** Half the summed absolute difference of two rows. */
export function rowDistance({ stride, joints, values }: WeightRows, p: number, q: number): number {
  let shared = 0;
  let [ownSum, otherSum] = [0, 0];
  for (let a = p * stride; a < (p + 1) * stride && values[a] !== 0; a++) {
    ownSum += values[a];
    for (let b = q * stride; b < (q + 1) * stride && values[b] !== 0; b++)
      if (joints[a] === joints[b]) shared += Math.min(values[a], values[b]);
  }
  for (let b = q * stride; b < (q + 1) * stride && values[b] !== 0; b++) otherSum += values[b];
  return (ownSum + otherSum) / 2 - shared;
}
