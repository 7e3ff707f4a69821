/**
 * Point normals from the triangles around each point, weighted by area.
 * @returns Float32Array, 3·pointCount; zero where no triangle with area meets the point
 */
export function computeNormals(positions: Float32Array, triangles: Uint32Array): Float32Array {
  const normals = new Float32Array(positions.length);
  for (let t = 0; t < triangles.length; t += 3) {
    const a = triangles[t] * 3;
    const b = triangles[t + 1] * 3;
    const c = triangles[t + 2] * 3;
    const ux = positions[b] - positions[a];
    const uy = positions[b + 1] - positions[a + 1];
    const uz = positions[b + 2] - positions[a + 2];
    const vx = positions[c] - positions[a];
    const vy = positions[c + 1] - positions[a + 1];
    const vz = positions[c + 2] - positions[a + 2];
    const nx = uy * vz - uz * vy;
    const ny = uz * vx - ux * vz;
    const nz = ux * vy - uy * vx;
    for (const at of [a, b, c]) {
      normals[at] += nx;
      normals[at + 1] += ny;
      normals[at + 2] += nz;
    }
  }
  normalizeAll(normals);
  return normals;
}

/** Sets every vector to length one, in place; zero and non-finite vectors become zero. */
export function normalizeAll(vectors: Float32Array): void {
  for (let i = 0; i < vectors.length; i += 3) {
    const x = vectors[i];
    const y = vectors[i + 1];
    const z = vectors[i + 2];
    const length = Math.sqrt(x * x + y * y + z * z);
    const usable = length > 0 && Number.isFinite(length);
    vectors[i] = usable ? x / length : 0;
    vectors[i + 1] = usable ? y / length : 0;
    vectors[i + 2] = usable ? z / length : 0;
  }
}
