import { findIslands, findNeighbours } from './topology.ts';
import type { Part } from './part.ts';

type Shape = Pick<Part, 'positions' | 'triangles' | 'polygonOffsets' | 'polygonPoints' | 'pointCount'>;

/** So many edges at most tell how long they are. */
const MAX_SAMPLES = 3000;
/** Gaps wider than this share of an edge are no gaps. */
const GAP_OF_EDGE = 0.3;
/** Distances below this share of an edge weld nothing that is not one point already. */
const MIN_OF_EDGE = 1e-6;
/** The share of gaps that is closed, and the slack beyond. */
const CLOSED_SHARE = 0.98;
const SLACK = 1.05;

/**
 * The distance within which a mesh that has come apart hangs together again: a little more than corners of different pieces
 * lie apart that lie much nearer than an edge is long. In part space; 0 where there are none.
 */
export function proposeWeld(shape: Shape): number {
  const { positions, triangles, pointCount } = shape;
  const neighbours = findNeighbours(
    { offsets: shape.polygonOffsets, points: shape.polygonPoints },
    pointCount,
  );
  const { ofPoint } = findIslands(neighbours);
  const edge = medianEdge(shape);
  if (!(edge > 0)) return 0;
  const gaps = pairsWithin(positions, triangles, GAP_OF_EDGE * edge)
    .filter(({ a, b }) => ofPoint[a] !== ofPoint[b])
    .map(({ far }) => far)
    .sort((a, b) => a - b);
  if (gaps.length === 0) return 0;
  const gap = gaps[Math.min(gaps.length - 1, Math.floor(CLOSED_SHARE * gaps.length))];
  return Math.min(GAP_OF_EDGE * edge, SLACK * gap);
}

function medianEdge({ positions, triangles }: Shape): number {
  const lengths: number[] = [];
  const step = 3 * Math.max(1, Math.floor(triangles.length / 3 / MAX_SAMPLES));
  for (let t = 0; t + 2 < triangles.length; t += step) {
    const [a, b] = [triangles[t] * 3, triangles[t + 1] * 3];
    lengths.push(Math.hypot(...[0, 1, 2].map((k) => positions[a + k] - positions[b + k])));
  }
  lengths.sort((a, b) => a - b);
  return lengths[lengths.length >> 1] ?? 0;
}

/**
 * Which points become one where those that lie within a distance are welded, nearest first: each point → the one that
 * stands for it, the first of its group. More than a share of an edge is never welded, whatever is asked. Whoever is near one of a group belongs to it; corners of one triangle stay apart.
 *
 * @returns Uint32Array, pointCount
 */
export function weldNear(shape: Shape, distance: number): Uint32Array {
  const { positions, triangles, pointCount } = shape;
  const edge = medianEdge(shape);
  const within = Math.min(distance, GAP_OF_EDGE * edge);
  if (!(within > MIN_OF_EDGE * edge)) return Uint32Array.from({ length: pointCount }, (_, p) => p);
  const groups = new Groups(pointCount, cornersOf(triangles, pointCount));
  const pairs = pairsWithin(positions, triangles, within);
  for (const { a, b } of pairs.sort(
    (one, other) => one.far - other.far || one.a - other.a || one.b - other.b,
  ))
    groups.join(a, b);
  return Uint32Array.from({ length: pointCount }, (_, p) => groups.first(p));
}

interface NearPair {
  readonly a: number;
  readonly b: number;
  readonly far: number;
}

/** Corners of triangles that lie within a distance of each other, the lower number first. */
function pairsWithin(positions: Float32Array, triangles: Uint32Array, distance: number): NearPair[] {
  // Cells of another place may share a number: what lies there is told apart by its distance.
  const cells = new Map<number, number[]>();
  const at = (p: number, k: number): number => Math.floor(positions[p * 3 + k] / distance);
  const cellOf = (p: number, dx = 0, dy = 0, dz = 0): number =>
    Math.imul(at(p, 0) + dx, 73856093) ^
    Math.imul(at(p, 1) + dy, 19349663) ^
    Math.imul(at(p, 2) + dz, 83492791);
  const pairs: NearPair[] = [];
  for (const b of [...new Set(triangles)].sort((one, other) => one - other)) {
    const around = new Set<number>();
    for (let c = 0; c < 27; c++)
      around.add(cellOf(b, (c % 3) - 1, (Math.floor(c / 3) % 3) - 1, Math.floor(c / 9) - 1));
    for (const cell of around) {
      for (const a of cells.get(cell) ?? []) {
        const dx = positions[b * 3] - positions[a * 3];
        const dy = positions[b * 3 + 1] - positions[a * 3 + 1];
        const dz = positions[b * 3 + 2] - positions[a * 3 + 2];
        const far = Math.sqrt(dx * dx + dy * dy + dz * dz);
        if (far <= distance) pairs.push({ a, b, far });
      }
    }
    const cell = cellOf(b);
    const held = cells.get(cell);
    if (held) held.push(b);
    else cells.set(cell, [b]);
  }
  return pairs;
}

/** Points in groups that grow together. */
class Groups {
  readonly #corners: readonly (readonly number[])[];
  readonly #members: number[][];
  readonly #groupOf: Uint32Array;

  constructor(pointCount: number, corners: readonly (readonly number[])[]) {
    this.#corners = corners;
    this.#members = Array.from({ length: pointCount }, (_, p) => [p]);
    this.#groupOf = Uint32Array.from({ length: pointCount }, (_, p) => p);
  }

  /** The point that stands for another: the lowest number of its group. */
  first(point: number): number {
    return this.#groupOf[point];
  }

  /** Makes one group of two, unless a triangle has corners in both. */
  join(a: number, b: number): void {
    const [into, from] = [this.#groupOf[a], this.#groupOf[b]].sort((one, other) => one - other);
    if (into === from) return;
    const meets = this.#members[from].some((p) =>
      this.#corners[p].some((corner) => this.#groupOf[corner] === into),
    );
    if (meets) return;
    for (const p of this.#members[from]) this.#groupOf[p] = into;
    this.#members[into].push(...this.#members[from]);
    this.#members[from] = [];
  }
}

/** By point: the other corners of its triangles. */
function cornersOf(triangles: Uint32Array, pointCount: number): readonly (readonly number[])[] {
  const corners: number[][] = Array.from({ length: pointCount }, () => []);
  for (let t = 0; t < triangles.length; t += 3)
    for (let k = 0; k < 3; k++)
      corners[triangles[t + k]].push(triangles[t + ((k + 1) % 3)], triangles[t + ((k + 2) % 3)]);
  return corners;
}
