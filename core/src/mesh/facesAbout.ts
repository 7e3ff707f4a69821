/** The faces about each point: compressed rows, into `faces`. */
export interface PointFaces {
  readonly offsets: Uint32Array;
  readonly faces: Uint32Array;
}

export function facesAbout(triangles: Uint32Array, pointCount: number): PointFaces {
  const offsets = new Uint32Array(pointCount + 1);
  for (const p of triangles) offsets[p + 1]++;
  for (let p = 0; p < pointCount; p++) offsets[p + 1] += offsets[p];
  const ends = offsets.slice(0, pointCount);
  const faces = new Uint32Array(triangles.length);
  for (let i = 0; i < triangles.length; i++) faces[ends[triangles[i]]++] = Math.floor(i / 3);
  return { offsets, faces };
}

/** A face's normal, as long as twice its area, added to a sum. */
export function addFaceNormal(
  positions: Float32Array,
  triangles: Uint32Array,
  face: number,
  sum: Float64Array,
): void {
  const a = triangles[face * 3] * 3;
  const b = triangles[face * 3 + 1] * 3;
  const c = triangles[face * 3 + 2] * 3;
  const ux = positions[b] - positions[a];
  const uy = positions[b + 1] - positions[a + 1];
  const uz = positions[b + 2] - positions[a + 2];
  const vx = positions[c] - positions[a];
  const vy = positions[c + 1] - positions[a + 1];
  const vz = positions[c + 2] - positions[a + 2];
  sum[0] += uy * vz - uz * vy;
  sum[1] += uz * vx - ux * vz;
  sum[2] += ux * vy - uy * vx;
}
