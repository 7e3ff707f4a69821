interface Surface {
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
  readonly pointCount: number;
}

/**
 * What each edge says in a Laplacian (Pinkall & Polthier 1993): edges from point p to higher ones are starts[p] ..
 * starts[p + 1], their other ends in `others`; {@link NO_EDGE} where a row ends early.
 */
export interface EdgeCotangents {
  readonly starts: Uint32Array;
  readonly others: Uint32Array;
  readonly values: Float64Array;
}

export const NO_EDGE = 0xffffffff;

/** Half cotangents of each edge, and a third of the area around each point: Float64Array, pointCount. */
export function edgeCotangents({ positions, triangles, pointCount }: Surface): {
  weights: EdgeCotangents;
  areas: Float64Array;
} {
  const areas = new Float64Array(pointCount);
  const starts = new Uint32Array(pointCount + 1);
  for (let t = 0; t < triangles.length; t += 3)
    for (let k = 0; k < 3; k++) starts[Math.min(triangles[t + k], triangles[t + ((k + 1) % 3)]) + 1]++;
  for (let p = 0; p < pointCount; p++) starts[p + 1] += starts[p];
  const ends = starts.slice(0, pointCount);
  const others = new Uint32Array(triangles.length);
  const values = new Float64Array(triangles.length);
  for (let t = 0; t < triangles.length; t += 3) {
    for (let k = 0; k < 3; k++) {
      const [a, b, c] = [triangles[t + k], triangles[t + ((k + 1) % 3)], triangles[t + ((k + 2) % 3)]];
      const ux = positions[a * 3] - positions[c * 3];
      const uy = positions[a * 3 + 1] - positions[c * 3 + 1];
      const uz = positions[a * 3 + 2] - positions[c * 3 + 2];
      const vx = positions[b * 3] - positions[c * 3];
      const vy = positions[b * 3 + 1] - positions[c * 3 + 1];
      const vz = positions[b * 3 + 2] - positions[c * 3 + 2];
      const across = Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx);
      if (across === 0) continue;
      areas[c] += across / 6;
      // An obtuse angle's cotangent is negative: taken as nothing, which keeps weights between zero and one.
      const half = Math.max(0, (ux * vx + uy * vy + uz * vz) / across / 2);
      const [low, high] = a < b ? [a, b] : [b, a];
      let e = starts[low];
      while (e < ends[low] && others[e] !== high) e++;
      if (e === ends[low]) {
        others[e] = high;
        ends[low]++;
      }
      values[e] += half;
    }
  }
  return { weights: { starts, others: cut(others, starts, ends), values }, areas };
}

/** Marks the unused tails of rows, where an edge of two triangles took one entry. */
function cut(others: Uint32Array, starts: Uint32Array, ends: Uint32Array): Uint32Array {
  for (let p = 0; p + 1 < starts.length; p++) others.fill(NO_EDGE, ends[p], starts[p + 1]);
  return others;
}
