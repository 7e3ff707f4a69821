import type { CageFace, CagePoint } from './cage.ts';

/**
 * A mesh of quads with the same numbers at every point: position, then one share a joint.
 * - `width`  numbers a point: 3 + jointCount
 * - `data`   Float64Array, width·pointCount
 * - `quads`  Uint32Array, 4·quadCount
 * - `uv`     Float64Array, 8·quadCount: a texture corner for each corner
 */
export interface QuadMesh {
  readonly width: number;
  readonly data: Float64Array;
  readonly quads: Uint32Array;
  readonly uv: Float64Array;
}

export function meshOfCage(
  cage: { points: CagePoint[]; faces: CageFace[] },
  jointNames: readonly string[],
): QuadMesh {
  const width = 3 + jointNames.length;
  const data = new Float64Array(width * cage.points.length);
  cage.points.forEach(({ position, shares }, p) => {
    data.set(position, p * width);
    for (const [name, share] of Object.entries(shares)) {
      const joint = jointNames.indexOf(name);
      if (joint < 0) throw new Error(`The cage names a joint “${name}” that the skeleton does not have.`);
      data[p * width + 3 + joint] = share;
    }
  });
  return {
    width,
    data,
    quads: Uint32Array.from(cage.faces.flatMap((face) => face.points)),
    uv: Float64Array.from(cage.faces.flatMap((face) => face.uv.flat())),
  };
}

/**
 * One step of Catmull–Clark subdivision (Catmull & Clark 1978) with the usual rule for borders; weights are carried
 * through by the same rule as positions, texture corners bilinearly.
 */
export function subdivide(mesh: QuadMesh): QuadMesh {
  const { width, data, quads, uv } = mesh;
  const pointCount = data.length / width;
  const faceCount = quads.length / 4;
  const { edgeOfSide, ends, facesOfEdge } = findEdges(quads, pointCount);
  const edgeCount = ends.length / 2;
  const out = new Float64Array((pointCount + faceCount + edgeCount) * width);
  const facePoint = pointCount;
  const edgePoint = pointCount + faceCount;
  const addTo = (to: number, from: number, factor: number, source: Float64Array): void => {
    for (let k = 0; k < width; k++) out[to * width + k] += factor * source[from * width + k];
  };
  // 1. Face points.
  for (let f = 0; f < faceCount; f++)
    for (let k = 0; k < 4; k++) addTo(facePoint + f, quads[f * 4 + k], 0.25, data);
  // 2. Edge points: with two faces the mean of ends and face points, on a border the middle.
  for (let e = 0; e < edgeCount; e++) {
    const inner = facesOfEdge[e * 2 + 1] >= 0;
    for (let k = 0; k < 2; k++) {
      addTo(edgePoint + e, ends[e * 2 + k], inner ? 0.25 : 0.5, data);
      if (inner) addTo(edgePoint + e, facePoint + facesOfEdge[e * 2 + k], 0.25, out);
    }
  }
  movePoints(mesh, { ends, facesOfEdge }, out, facePoint);
  // 3. Four quads a face.
  const nextQuads = new Uint32Array(faceCount * 16);
  const nextUv = new Float64Array(faceCount * 32);
  for (let f = 0; f < faceCount; f++) {
    const corner = (k: number, axis: number): number => uv[f * 8 + (k % 4) * 2 + axis];
    for (let k = 0; k < 4; k++) {
      const at = (f * 4 + k) * 4;
      const before = edgePoint + edgeOfSide[f * 4 + ((k + 3) % 4)];
      nextQuads.set([quads[f * 4 + k], edgePoint + edgeOfSide[f * 4 + k], facePoint + f, before], at);
      for (let axis = 0; axis < 2; axis++) {
        const own = corner(k, axis);
        const middle = (corner(0, axis) + corner(1, axis) + corner(2, axis) + corner(3, axis)) / 4;
        nextUv[at * 2 + axis] = own;
        nextUv[at * 2 + 2 + axis] = (own + corner(k + 1, axis)) / 2;
        nextUv[at * 2 + 4 + axis] = middle;
        nextUv[at * 2 + 6 + axis] = (own + corner(k + 3, axis)) / 2;
      }
    }
  }
  return { width, data: out, quads: nextQuads, uv: nextUv };
}

interface Edges {
  /** Two points an edge. */
  readonly ends: Uint32Array;
  /** Two faces an edge; the second is -1 on a border. */
  readonly facesOfEdge: Int32Array;
}

function findEdges(quads: Uint32Array, pointCount: number): Edges & { edgeOfSide: Uint32Array } {
  const edgeOfSide = new Uint32Array(quads.length);
  const known = new Map<number, number>();
  const ends: number[] = [];
  const facesOfEdge: number[] = [];
  for (let s = 0; s < quads.length; s++) {
    const a = quads[s];
    const b = quads[s % 4 === 3 ? s - 3 : s + 1];
    const key = Math.min(a, b) * pointCount + Math.max(a, b);
    let edge = known.get(key);
    if (edge === undefined) {
      edge = ends.length / 2;
      known.set(key, edge);
      ends.push(a, b);
      facesOfEdge.push(Math.floor(s / 4), -1);
    } else facesOfEdge[edge * 2 + 1] = Math.floor(s / 4);
    edgeOfSide[s] = edge;
  }
  return { edgeOfSide, ends: Uint32Array.from(ends), facesOfEdge: Int32Array.from(facesOfEdge) };
}

/** The old points: (F + 2R + (n − 3)P) / n inside, an eighth of each border neighbour on a border. */
function movePoints(
  { width, data, quads }: QuadMesh,
  edges: Edges,
  out: Float64Array,
  facePoint: number,
): void {
  const pointCount = data.length / width;
  const valence = new Uint32Array(pointCount);
  const faceTotal = new Uint32Array(pointCount);
  const border = new Uint8Array(pointCount);
  for (const p of quads) faceTotal[p]++;
  const edgeCount = edges.ends.length / 2;
  for (let e = 0; e < edgeCount; e++) {
    for (let k = 0; k < 2; k++) {
      const p = edges.ends[e * 2 + k];
      valence[p]++;
      if (edges.facesOfEdge[e * 2 + 1] < 0) border[p] = 1;
    }
  }
  const addTo = (to: number, from: number, factor: number, source: Float64Array): void => {
    for (let k = 0; k < width; k++) out[to * width + k] += factor * source[from * width + k];
  };
  for (let p = 0; p < pointCount; p++) {
    const corner = border[p] && faceTotal[p] === 1;
    addTo(p, p, corner ? 1 : border[p] ? 0.75 : (valence[p] - 3) / valence[p] + 1 / valence[p], data);
  }
  for (let e = 0; e < edgeCount; e++) {
    const onBorder = edges.facesOfEdge[e * 2 + 1] < 0;
    for (let k = 0; k < 2; k++) {
      const p = edges.ends[e * 2 + k];
      const other = edges.ends[e * 2 + 1 - k];
      // 2R/n with R the mean of edge middles: half of it is the point itself (added above), half its neighbours.
      if (!border[p]) addTo(p, other, 1 / (valence[p] * valence[p]), data);
      else if (onBorder && faceTotal[p] > 1) addTo(p, other, 0.125, data);
    }
  }
  quads.forEach((p, s) => {
    if (!border[p]) addTo(p, facePoint + Math.floor(s / 4), 1 / (valence[p] * valence[p]), out);
  });
}
