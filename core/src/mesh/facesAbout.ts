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
