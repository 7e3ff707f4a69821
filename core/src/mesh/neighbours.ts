/**
 * The points that share an edge with a point: compressed rows.
 * - `offsets`  Uint32Array, pointCount + 1, into `points`.
 * - `points`   Uint32Array: neighbours of point p are points[offsets[p] .. offsets[p + 1]), none twice.
 */
export interface Neighbours {
  readonly offsets: Uint32Array;
  readonly points: Uint32Array;
}

/** Neighbours on their way: everything flat, in the kernels' memory, and zero before. */
export interface NeighbourWork {
  /** Uint32Array, pointCount + 1. */
  readonly starts: Uint32Array;
  /** Uint32Array, pointCount. */
  readonly ends: Uint32Array;
  /** Uint32Array, two a corner; the neighbours come to lie at its beginning. */
  readonly found: Uint32Array;
  /** Uint32Array, pointCount + 1. */
  readonly offsets: Uint32Array;
}
