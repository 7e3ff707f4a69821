// How far edges are stretched and faces changed, against rest. Twins of core/kernels/strain.ts, which compute in f32.
import { addFaceNormal } from '../../mesh/facesAbout.ts';

/**
 * Strain of each edge: 0 at rest length, 1 at double, −1 at half (length over rest less one; squeezed, one less the
 * inverse), so that stretch and squeeze of one ratio count alike. At least −100.
 *
 * @param edges     Uint32Array, two points an edge
 * @param rest      Float32Array, an edge each: its length at rest; 0 has no strain
 * @param positions Float32Array, 3 a point
 */
export function strainEdges(
  edges: Uint32Array,
  rest: Float32Array,
  positions: Float32Array,
  out: Float32Array,
): void {
  for (let e = 0; e < rest.length; e++) {
    const [a, b] = [edges[e * 2] * 3, edges[e * 2 + 1] * 3];
    const length = Math.hypot(
      positions[b] - positions[a],
      positions[b + 1] - positions[a + 1],
      positions[b + 2] - positions[a + 2],
    );
    out[e] = strainOf(length, rest[e]);
  }
}

const MIN_STRAIN = -100;

export function strainOf(length: number, rest: number): number {
  if (length >= rest) return rest > 0 ? length / rest - 1 : 0;
  return length > 0 ? Math.max(MIN_STRAIN, 1 - rest / length) : MIN_STRAIN;
}

/**
 * Area of each face in rest areas: 1 at rest; negative where the face looks otherwise than its corners' skinned normals,
 * though it did not at rest: it is folded.
 *
 * @param triangles Uint32Array, three points a face
 * @param rest      Float32Array, a face each: twice its area at rest, as {@link restAreas} gives it
 */
export function strainFaces(
  triangles: Uint32Array,
  rest: Float32Array,
  positions: Float32Array,
  normals: Float32Array,
  out: Float32Array,
): void {
  for (let t = 0; t < rest.length; t++) {
    const area = signedArea(triangles, t, positions, normals);
    out[t] = rest[t] !== 0 ? area / rest[t] : 1;
  }
}

/** Twice the area of each face; negative where it looks otherwise than its corners' normals. Float32Array, a face each. */
export function restAreas(
  triangles: Uint32Array,
  positions: Float32Array,
  normals: Float32Array,
): Float32Array {
  const areas = new Float32Array(triangles.length / 3);
  for (let t = 0; t < areas.length; t++) areas[t] = signedArea(triangles, t, positions, normals);
  return areas;
}

const area = new Float64Array(3);

function signedArea(
  triangles: Uint32Array,
  t: number,
  positions: Float32Array,
  normals: Float32Array,
): number {
  addFaceNormal(positions, triangles, t, area.fill(0));
  const [x, y, z] = area;
  const [a, b, c] = [triangles[t * 3] * 3, triangles[t * 3 + 1] * 3, triangles[t * 3 + 2] * 3];
  const facing =
    x * (normals[a] + normals[b] + normals[c]) +
    y * (normals[a + 1] + normals[b + 1] + normals[c + 1]) +
    z * (normals[a + 2] + normals[b + 2] + normals[c + 2]);
  return Math.hypot(x, y, z) * (facing < 0 ? -1 : 1);
}

/** Into `out` (a point each, zero before), for each point the strain of its edges that is farthest from none. */
export function strainPoints(edges: Uint32Array, strains: Float32Array, out: Float32Array): void {
  for (let e = 0; e < strains.length; e++) {
    const size = Math.abs(strains[e]);
    for (const p of [edges[e * 2], edges[e * 2 + 1]]) if (size > Math.abs(out[p])) out[p] = strains[e];
  }
}

/** Lengths of edges: Float32Array, an edge each. */
export function edgeLengths(edges: Uint32Array, positions: Float32Array): Float32Array {
  const lengths = new Float32Array(edges.length / 2);
  for (let e = 0; e < lengths.length; e++) {
    const [a, b] = [edges[e * 2] * 3, edges[e * 2 + 1] * 3];
    lengths[e] = Math.hypot(
      positions[b] - positions[a],
      positions[b + 1] - positions[a + 1],
      positions[b + 2] - positions[a + 2],
    );
  }
  return lengths;
}
