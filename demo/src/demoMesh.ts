import { meshOfCage, subdivide, type QuadMesh } from './subdivide.ts';
import type { Cage } from './cage.ts';

/** A part of a demo character before it is written: smooth, by points, with its makers' weights. */
export interface DemoMesh {
  readonly name: string;
  /** Base colour, linear, 0..1. */
  readonly colour: readonly [number, number, number];
  readonly doubleSided: boolean;
  /** Float32Array, 3·pointCount, metres. */
  readonly positions: Float32Array;
  /** Uint32Array, 4·quadCount. */
  readonly quads: Uint32Array;
  /** Float32Array, 8·quadCount. */
  readonly uv: Float32Array;
  /** A point's influences, joint → weight; faults are planted here. */
  readonly weights: Map<number, number>[];
  /** Shapes: how far each moves the points, Float32Array, 3·pointCount. */
  readonly shapes?: readonly { readonly name: string; readonly moves: Float32Array }[];
}

/** Smooths a cage `level` times. Shares below a fiftieth are dropped, at most `limit` kept, and the rest made one. */
export function smoothMesh(
  name: string,
  cage: Cage,
  level: number,
  jointNames: readonly string[],
  colour: DemoMesh['colour'],
  { limit = 4, doubleSided = false } = {},
): DemoMesh {
  let mesh: QuadMesh = meshOfCage(cage.finish(), jointNames);
  for (let i = 0; i < level; i++) mesh = subdivide(mesh);
  const { width, data } = mesh;
  const pointCount = data.length / width;
  const positions = new Float32Array(pointCount * 3);
  const weights: Map<number, number>[] = [];
  for (let p = 0; p < pointCount; p++) {
    for (let k = 0; k < 3; k++) positions[p * 3 + k] = data[p * width + k];
    weights.push(largest(data.subarray(p * width + 3, (p + 1) * width), limit));
  }
  return { name, colour, doubleSided, positions, quads: mesh.quads, uv: Float32Array.from(mesh.uv), weights };
}

function largest(shares: Float64Array, limit: number): Map<number, number> {
  const kept = [...shares.entries()]
    .filter(([, share]) => share > 0.02)
    .sort((a, b) => b[1] - a[1])
    .slice(0, limit);
  const sum = kept.reduce((total, [, share]) => total + share, 0);
  return new Map(kept.map(([joint, share]) => [joint, share / sum]));
}

/** Smooth point normals of a quad mesh, weighted by area. Float32Array, 3·pointCount. */
export function quadNormals({ positions, quads }: Pick<DemoMesh, 'positions' | 'quads'>): Float32Array {
  const normals = new Float32Array(positions.length);
  for (let q = 0; q < quads.length; q += 4) {
    const at = [0, 1, 2, 3].map((k) => quads[q + k] * 3);
    const d = (i: number, j: number, k: number): number => positions[at[i] + k] - positions[at[j] + k];
    // The cross product of the diagonals is the quad's area vector.
    const normal = [0, 1, 2].map((k) => {
      const [a, b] = [(k + 1) % 3, (k + 2) % 3];
      return d(2, 0, a) * d(3, 1, b) - d(2, 0, b) * d(3, 1, a);
    });
    for (const corner of at) for (let k = 0; k < 3; k++) normals[corner + k] += normal[k];
  }
  for (let i = 0; i < normals.length; i += 3) {
    const size = Math.hypot(normals[i], normals[i + 1], normals[i + 2]) || 1;
    for (let k = 0; k < 3; k++) normals[i + k] /= size;
  }
  return normals;
}
