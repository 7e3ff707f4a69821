import type { Neighbours, NeighbourWork } from './neighbours.ts';
import type { Polygons } from './polygons.ts';

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
