/** The loop of {@link readSoup}; twin of measureSoup in core/kernels/voxels.ts. */
export function measureSoup(positions: Float32Array, triangles: Uint32Array, out: Float64Array): void {
  out.set([Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity, 0, 0]);
  let volume = 0;
  // Measured from a corner of the mesh, so that a mesh far from the origin does not lose its figures.
  const [ox, oy, oz] = positions.subarray(triangles[0] * 3, triangles[0] * 3 + 3);
  for (let i = 0; i < triangles.length; i++) {
    for (let k = 0; k < 3; k++) {
      const x = positions[triangles[i] * 3 + k];
      if (x < out[k]) out[k] = x;
      if (x > out[k + 3]) out[k + 3] = x;
    }
  }
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [triangles[t] * 3, triangles[t + 1] * 3, triangles[t + 2] * 3];
    const ax = positions[a] - ox;
    const ay = positions[a + 1] - oy;
    const az = positions[a + 2] - oz;
    const ux = positions[b] - positions[a];
    const uy = positions[b + 1] - positions[a + 1];
    const uz = positions[b + 2] - positions[a + 2];
    const vx = positions[c] - positions[a];
    const vy = positions[c + 1] - positions[a + 1];
    const vz = positions[c + 2] - positions[a + 2];
    const nx = uy * vz - uz * vy;
    const ny = uz * vx - ux * vz;
    const nz = ux * vy - uy * vx;
    volume += (ax * nx + ay * ny + az * nz) / 6;
    out[7] += Math.sqrt(nx * nx + ny * ny + nz * nz) / 2;
  }
  out[6] = Math.abs(volume);
}

/** Positions moved by a matrix, in place; twin of movePositions in core/kernels/topology.ts. */
export function movePositions(positions: Float32Array, m: Float32Array): void {
  for (let i = 0; i < positions.length; i += 3) {
    const x = positions[i];
    const y = positions[i + 1];
    const z = positions[i + 2];
    positions[i] = m[0] * x + m[4] * y + m[8] * z + m[12];
    positions[i + 1] = m[1] * x + m[5] * y + m[9] * z + m[13];
    positions[i + 2] = m[2] * x + m[6] * y + m[10] * z + m[14];
  }
}

/** Indices made to count from elsewhere, in place; twin of shiftIndices in core/kernels/topology.ts. */
export function shiftIndices(indices: Uint32Array, shift: number): void {
  for (let i = 0; i < indices.length; i++) indices[i] += shift;
}
