import type { Kernels } from '../kernels/kernels.ts';
import type { Polygons } from './quads.ts';

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

/** Ordinary memory and the plain loops. */
const plain = {
  u32: (length: number) => new Uint32Array(length),
  i32: (length: number) => new Int32Array(length),
  fillNeighbours,
  fillIslands,
};

/**
 * Neighbours along polygon edges (a quad's diagonal is no edge). Counting sort into one bucket a point, then each short
 * bucket is cleared of repeats: linear time, no Map, no Set.
 *
 * @param kernels what memory and loop to use; the polygons must lie in its memory
 */
export function findNeighbours(
  polygons: Polygons,
  pointCount: number,
  kernels: Pick<Kernels, 'u32' | 'fillNeighbours'> = plain,
): Neighbours {
  const work = {
    starts: kernels.u32(pointCount + 1),
    ends: kernels.u32(pointCount),
    found: kernels.u32(polygons.points.length * 2),
    offsets: kernels.u32(pointCount + 1),
  };
  const count = kernels.fillNeighbours(polygons, work);
  const { offsets, found } = work;
  // On ordinary memory the repeats' room is given back.
  return { offsets, points: kernels === plain ? found.slice(0, count) : found.subarray(0, count) };
}

/** The loop of {@link findNeighbours}; twin of fillNeighbours in core/kernels/topology.ts. Returns their number. */
export function fillNeighbours(
  { offsets: polygonOffsets, points: corners }: Polygons,
  { starts, ends, found, offsets }: NeighbourWork,
): number {
  const polygonCount = polygonOffsets.length - 1;
  const pointCount = ends.length;
  // 1. How many edge ends each point has, repeats included: two a corner.
  for (let i = 0; i < corners.length; i++) starts[corners[i] + 1] += 2;
  for (let p = 0; p < pointCount; p++) starts[p + 1] += starts[p];
  // 2. Fill the buckets, leaving out what is there already.
  ends.set(starts.subarray(0, pointCount));
  for (let polygon = 0; polygon < polygonCount; polygon++) {
    const from = polygonOffsets[polygon];
    const to = polygonOffsets[polygon + 1];
    let previous = corners[to - 1];
    for (let c = from; c < to; c++) {
      const point = corners[c];
      addOnce(found, starts[point], ends, point, previous);
      addOnce(found, starts[previous], ends, previous, point);
      previous = point;
    }
  }
  // 3. Close the gaps.
  let count = 0;
  for (let p = 0; p < pointCount; p++) {
    for (let k = starts[p]; k < ends[p]; k++) found[count++] = found[k];
    offsets[p + 1] = count;
  }
  return count;
}

function addOnce(
  found: Uint32Array,
  start: number,
  ends: Uint32Array,
  point: number,
  neighbour: number,
): void {
  const end = ends[point];
  for (let k = start; k < end; k++) if (found[k] === neighbour) return;
  found[end] = neighbour;
  ends[point] = end + 1;
}

/** Every edge once: Uint32Array, 2·edgeCount, the lower point first. */
export function listEdges({ offsets, points }: Neighbours): Uint32Array {
  const edges = new Uint32Array(points.length);
  let count = 0;
  for (let p = 0; p + 1 < offsets.length; p++) {
    for (let k = offsets[p]; k < offsets[p + 1]; k++) {
      if (points[k] < p) continue;
      edges[count++] = p;
      edges[count++] = points[k];
    }
  }
  return edges.slice(0, count);
}

export interface Islands {
  /** Connected pieces that have at least one edge. */
  readonly count: number;
  /** Int32Array, pointCount: point → island, by falling first point; -1 for a point that no polygon uses. */
  readonly ofPoint: Int32Array;
}

/** Connected pieces of the surface. @param kernels what memory and loop to use; as for {@link findNeighbours} */
export function findIslands(
  neighbours: Neighbours,
  kernels: Pick<Kernels, 'u32' | 'i32' | 'fillIslands'> = plain,
): Islands {
  const pointCount = neighbours.offsets.length - 1;
  const ofPoint = kernels.i32(pointCount);
  const count = kernels.fillIslands(neighbours, ofPoint, kernels.u32(pointCount));
  return { count, ofPoint };
}

/** The loop of {@link findIslands}; twin of fillIslands in core/kernels/topology.ts. Returns their number. */
export function fillIslands(
  { offsets, points }: Neighbours,
  ofPoint: Int32Array,
  queue: Uint32Array,
): number {
  ofPoint.fill(-1);
  let count = 0;
  for (let seed = 0; seed < ofPoint.length; seed++) {
    if (ofPoint[seed] >= 0 || offsets[seed] === offsets[seed + 1]) continue;
    let head = 0;
    let tail = 0;
    queue[tail++] = seed;
    ofPoint[seed] = count;
    while (head < tail) {
      const p = queue[head++];
      for (let k = offsets[p]; k < offsets[p + 1]; k++) {
        if (ofPoint[points[k]] >= 0) continue;
        ofPoint[points[k]] = count;
        queue[tail++] = points[k];
      }
    }
    count++;
  }
  return count;
}

/**
 * Marks the points that have weight in a patch apart from the main one: among the connected regions of points above
 * zero, all but the one with the most weight. A region that covers its whole island (a lantern's handle, beside the
 * lantern) is a piece of its own and not apart. marks[p] becomes 1 there and 0 elsewhere.
 * @returns the number of marked points
 */
export function markApart({ offsets, points }: Neighbours, column: Float32Array, marks: Uint8Array): number {
  const pointCount = column.length;
  const region = new Int32Array(pointCount).fill(-1);
  const queue = new Uint32Array(pointCount);
  const mass: number[] = [];
  const bounded: boolean[] = [];
  for (let seed = 0; seed < pointCount; seed++) {
    if (region[seed] >= 0 || column[seed] <= 0) continue;
    let head = 0;
    let tail = 0;
    let sum = 0;
    let border = false;
    queue[tail++] = seed;
    region[seed] = mass.length;
    while (head < tail) {
      const p = queue[head++];
      sum += column[p];
      for (let k = offsets[p]; k < offsets[p + 1]; k++) {
        const n = points[k];
        if (column[n] <= 0) border = true;
        else if (region[n] < 0) {
          region[n] = mass.length;
          queue[tail++] = n;
        }
      }
    }
    mass.push(sum);
    bounded.push(border);
  }
  const main = mass.indexOf(Math.max(...mass));
  let marked = 0;
  for (let p = 0; p < pointCount; p++) {
    marks[p] = region[p] >= 0 && region[p] !== main && bounded[region[p]] ? 1 : 0;
    marked += marks[p];
  }
  return marked;
}
