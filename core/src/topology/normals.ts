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
    const length = Math.hypot(vectors[i], vectors[i + 1], vectors[i + 2]);
    const scale = length > 0 && Number.isFinite(length) ? 1 / length : 0;
    for (let k = i; k < i + 3; k++) vectors[k] = scale === 0 ? 0 : vectors[k] * scale;
  }
}
