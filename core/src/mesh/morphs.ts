/** What a morph target does to one part: the vertices that it moves, and how far. Part space. */
export interface MorphTarget {
  readonly part: number;
  /** Uint32Array, rising. */
  readonly vertices: Uint32Array;
  /** Float32Array, 3 a listed vertex. */
  readonly positions: Float32Array;
  /** The same of normals and tangents, where the file says so. */
  readonly normals?: Float32Array;
  readonly tangents?: Float32Array;
}

/** A shape of the file: its targets of one name, on as many parts as have it. */
export interface Morph {
  readonly name: string;
  /** How much of it there is at rest. */
  readonly weight: number;
  readonly targets: readonly MorphTarget[];
  /** By mesh of the file, the number of the target there. */
  readonly places: Readonly<Record<number, number | undefined>>;
}

/** A target by points instead of vertices: those that move, rising, and 3 numbers each. */
export interface PointMoves {
  readonly points: Uint32Array;
  readonly moves: Float32Array;
}

/** What a target does to the points of its part; of vertices on one point the first says it. */
export function movesOfPoints({ vertices, positions }: MorphTarget, vertexPoint: Uint32Array): PointMoves {
  const first = new Map<number, number>();
  vertices.forEach((v, i) => {
    if (!first.has(vertexPoint[v])) first.set(vertexPoint[v], i);
  });
  const points = Uint32Array.from(first.keys()).sort();
  const moves = new Float32Array(points.length * 3);
  points.forEach((p, i) => {
    const from = (first.get(p) as number) * 3;
    moves.set(positions.subarray(from, from + 3), i * 3);
  });
  return { points, moves };
}

/** How far each point is moved, as a share of the farthest; 0 where it is not. Float32Array, pointCount. */
export function reliefOf({ points, moves }: PointMoves, pointCount: number): Float32Array {
  const relief = new Float32Array(pointCount);
  let most = 0;
  points.forEach((p, i) => {
    relief[p] = Math.hypot(moves[i * 3], moves[i * 3 + 1], moves[i * 3 + 2]);
    most = Math.max(most, relief[p]);
  });
  if (most > 0) for (const p of points) relief[p] /= most;
  return relief;
}

/**
 * Two halves of a whole, left and right of a plane: how much of it each place has. At every place both sum to the whole, to the
 * bit in the steps of 1/255 that masks are kept in.
 * @param heights Float32Array, a place each: how far it stands off the plane, above zero on the first side
 * @param width   over which one goes over into the other
 * @param whole   how much there is at each place; all of it where it is missing
 */
export function halvesOf(
  heights: Float32Array,
  width: number,
  whole?: Float32Array,
): { one: Float32Array; other: Float32Array } {
  const stepsAt = (p: number): number => Math.round(STEPS * (whole ? whole[p] : 1));
  const one = heights.map((height, p) => {
    const x = width > 0 ? height / width + 0.5 : height >= 0 ? 1 : 0;
    const share = x <= 0 ? 0 : x >= 1 ? 1 : x * x * (3 - 2 * x);
    return Math.round(stepsAt(p) * share) / STEPS;
  });
  return { one, other: one.map((share, p) => (stepsAt(p) - Math.round(STEPS * share)) / STEPS) };
}

/** Masks are kept in steps of one of so many. */
const STEPS = 255;
