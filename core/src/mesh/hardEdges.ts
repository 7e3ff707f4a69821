/** Normals of one place that are farther apart than by some degrees are of two sides of an edge. */
const SAME = Math.cos((5 * Math.PI) / 180);
/** A surface of which nearly all edges are hard is drawn in facets: it has no edges that were meant. */
const FACETED = 0.9;

/**
 * Edges at which a file's normals break: its vertices on either side have others, at both ends.
 *
 * @param corners       Uint32Array, 3 a triangle: vertices
 * @param vertexPoint   Uint32Array: vertex → point
 * @param vertexNormals Float32Array, 3 a vertex, of length one
 * @returns Uint32Array, two points an edge; undefined where there is none, or nothing but such
 */
export function findHardEdges(
  corners: Uint32Array,
  vertexPoint: Uint32Array,
  vertexNormals: Float32Array,
  pointCount: number,
): Uint32Array | undefined {
  const differs = (v: number, w: number): boolean =>
    v !== w &&
    vertexNormals[v * 3] * vertexNormals[w * 3] +
      vertexNormals[v * 3 + 1] * vertexNormals[w * 3 + 1] +
      vertexNormals[v * 3 + 2] * vertexNormals[w * 3 + 2] <
      SAME;
  const isSplit = splitPoints(vertexPoint, pointCount, differs);
  if (!isSplit) return undefined;
  /** By edge: the vertices that its first face has, at the lower point and at the higher one. */
  const met = new Map<number, readonly [number, number]>();
  const found: number[] = [];
  for (let c = 0; c < corners.length; c++) {
    const [v, w] = [corners[c], corners[c % 3 === 2 ? c - 2 : c + 1]];
    const [a, b] = [vertexPoint[v], vertexPoint[w]];
    if (isSplit[a] === 0 || isSplit[b] === 0 || a === b) continue;
    const [low, high] = a < b ? [v, w] : [w, v];
    const key = Math.min(a, b) * 2 ** 26 + Math.max(a, b);
    const first = met.get(key);
    if (!first) met.set(key, [low, high]);
    else if (differs(low, first[0]) && differs(high, first[1])) found.push(Math.min(a, b), Math.max(a, b));
  }
  // A triangle has half of each of its edges.
  if (found.length === 0 || found.length / 2 > FACETED * (corners.length / 2)) return undefined;
  return new Uint32Array(found);
}

/** Uint8Array, a point each: 1 where its vertices have different normals; undefined where none has. */
function splitPoints(
  vertexPoint: Uint32Array,
  pointCount: number,
  differs: (v: number, w: number) => boolean,
): Uint8Array | undefined {
  const firsts = new Int32Array(pointCount).fill(-1);
  const isSplit = new Uint8Array(pointCount);
  vertexPoint.forEach((p, v) => {
    if (firsts[p] < 0) firsts[p] = v;
    else if (differs(v, firsts[p])) isSplit[p] = 1;
  });
  return isSplit.includes(1) ? isSplit : undefined;
}
