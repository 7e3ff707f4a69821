import { type AddedPoints, between } from './addedPoints.ts';
import type { Part } from './part.ts';
import { normalizeAll } from './normals.ts';
import { recoverQuads } from './quads.ts';

/** Points that one part may get beside its file's. */
export const MAX_ADDED_MESH_POINTS = 100_000;

/**
 * How a part's mesh differs from its file's. Points and vertices keep their numbers for good: what is added comes behind, what is
 * taken out only has no face any more. So whatever was said of points before stays true.
 */
export interface MeshChange {
  /** How many points the file has, and how many there are. */
  readonly from: number;
  readonly points: number;
  /** Vertices that were added, in order: each stands between two that are there before it. */
  readonly vertices: readonly AddedVertex[];
  /** Triangles of the file that are gone, rising. */
  readonly removed: readonly number[];
  /** Vertices of the triangles that were added, three each. */
  readonly faces: readonly number[];
}

/** Two vertices, how far from the first to the second it stands (0..1), and the point that it is on. */
export type AddedVertex = readonly [a: number, b: number, share: number, point: number];

export const noMeshChange = (pointCount: number): MeshChange => ({
  from: pointCount,
  points: pointCount,
  vertices: [],
  removed: [],
  faces: [],
});

/** Triangles of a part by its vertices; the first vertex of each point, where the part does not say. */
export function cornersOf({ corners, triangles, vertexPoint, pointCount }: Part): Uint32Array {
  if (corners) return corners;
  const first = new Uint32Array(pointCount);
  for (let v = vertexPoint.length - 1; v >= 0; v--) first[vertexPoint[v]] = v;
  return triangles.map((p) => first[p]);
}

/**
 * A part with its mesh changed; everything of a new vertex and point lies on the line between its two parents.
 * What does not fit the part is passed over, but its points are there, so that rows of weights fit.
 */
export function withMeshChange<T extends Part>(part: T, change: MeshChange): T {
  const sound = fits(part, change) ? change : { ...noMeshChange(part.pointCount), points: change.points };
  const { vertices, points: pointCount } = sound;
  const vertexPoint = new Uint32Array(part.vertexCount + vertices.length);
  vertexPoint.set(part.vertexPoint);
  vertices.forEach(([, , , point], i) => (vertexPoint[part.vertexCount + i] = point));
  const added = addedPoints(sound, vertexPoint);
  const positions = between(part.positions, added, pointCount);
  const normals = between(part.normals, added, pointCount);
  const tail = normals.subarray(part.pointCount * 3);
  normalizeAll(tail);
  const came = cornersOf(part);
  const corners = changedCorners(came, sound);
  const triangles = corners.map((vertex) => vertexPoint[vertex]);
  leaveTakenOut(vertexPoint, triangles, came, sound.removed, added);
  const { offsets, points } = recoverQuads(triangles, positions);
  return {
    ...part,
    ...{ pointCount, positions, normals, vertexPoint, corners, triangles, added },
    vertexCount: vertexPoint.length,
    polygonOffsets: offsets,
    polygonPoints: points,
    hardEdges: part.hardEdges && splitEdges(part.hardEdges, added),
  };
}

/** Whether a vertex stands on another point than its own, because that was taken out. @param came the part without the change */
export function standsElsewhere(
  { vertexPoint, vertexCount }: Pick<Part, 'vertexPoint' | 'vertexCount'>,
  { vertices }: Pick<MeshChange, 'vertices'>,
  { vertexPoint: now }: Pick<Part, 'vertexPoint'>,
  vertex: number,
): boolean {
  return now[vertex] !== (vertex < vertexCount ? vertexPoint[vertex] : vertices[vertex - vertexCount][3]);
}

/** So many points have the same numbers in two changes of one mesh: those of the file, and added ones until they differ. */
export function sharedPoints(one: MeshChange, other: MeshChange): number {
  let points = Math.min(one.points, other.points);
  const count = Math.max(one.vertices.length, other.vertices.length);
  for (let i = 0; i < count; i++) {
    const [a, b] = [one.vertices.at(i), other.vertices.at(i)];
    if (a?.every((x, k) => x === b?.[k])) continue;
    for (const vertex of [a, b]) if (vertex) points = Math.min(points, vertex[3]);
    break;
  }
  return Math.max(points, one.from);
}

function fits(part: Part, { from, points, vertices, removed, faces }: MeshChange): boolean {
  const vertexCount = part.vertexCount + vertices.length;
  const triangleCount = (part.corners ?? part.triangles).length / 3;
  const isPoint = (p: number): boolean => p >= from && p < points;
  const hasVertex = new Uint8Array(Math.max(0, points - from));
  for (const [, , , point] of vertices) if (isPoint(point)) hasVertex[point - from] = 1;
  return (
    from === part.pointCount &&
    vertices.every(
      ([a, b, , point], i) => a < part.vertexCount + i && b < part.vertexCount + i && isPoint(point),
    ) &&
    !hasVertex.includes(0) &&
    removed.every((t) => t < triangleCount) &&
    faces.length % 3 === 0 &&
    faces.every((v) => v < vertexCount)
  );
}

/** Of several vertices on one point, the first says where it stands. */
function addedPoints({ from, points, vertices }: MeshChange, vertexPoint: Uint32Array): AddedPoints {
  const parents = new Uint32Array((points - from) * 2);
  const shares = new Float64Array(points - from).fill(-1);
  for (const [a, b, share, point] of vertices) {
    const i = point - from;
    if (shares[i] >= 0) continue;
    parents[i * 2] = vertexPoint[a];
    parents[i * 2 + 1] = vertexPoint[b];
    shares[i] = share;
  }
  return { from, parents, shares: shares.map((share) => Math.max(0, share)) };
}

function changedCorners(corners: Uint32Array, { removed, faces }: MeshChange): Uint32Array {
  const isGone = new Uint8Array(corners.length / 3);
  for (const t of removed) isGone[t] = 1;
  const out = new Uint32Array(corners.length + faces.length);
  let count = 0;
  for (let t = 0; t < isGone.length; t++)
    if (isGone[t] === 0) for (let c = t * 3; c < t * 3 + 3; c++) out[count++] = corners[c];
  out.set(faces, count);
  return out.slice(0, count + faces.length);
}

/**
 * Vertices of points that were taken out stand on a neighbour that is still there: nothing is loose, and what is written of them
 * falls together with that one.
 */
function leaveTakenOut(
  vertexPoint: Uint32Array,
  triangles: Uint32Array,
  came: Uint32Array,
  removed: readonly number[],
  added: AddedPoints,
): void {
  const isThere = new Uint8Array(added.from + added.shares.length);
  for (const p of triangles) isThere[p] = 1;
  const heir = new Map<number, number>();
  const heirOf = (p: number): number | undefined => (isThere[p] === 1 ? p : heir.get(p));
  const groups = removed.map((t) => [...came.subarray(t * 3, t * 3 + 3)].map((v) => vertexPoint[v]));
  added.shares.forEach((_, i) =>
    groups.push([added.from + i, added.parents[i * 2], added.parents[i * 2 + 1]]),
  );
  for (let isNew = true; isNew;) {
    isNew = false;
    for (const points of groups) {
      const to = points.map(heirOf).find((p) => p !== undefined);
      for (const p of points)
        if (to !== undefined && heirOf(p) === undefined) {
          heir.set(p, to);
          isNew = true;
        }
    }
  }
  if (heir.size > 0)
    for (let v = 0; v < vertexPoint.length; v++) vertexPoint[v] = heir.get(vertexPoint[v]) ?? vertexPoint[v];
}

/** Edges, with those that points were put on in two halves each. */
function splitEdges(edges: Uint32Array, { from, parents }: AddedPoints): Uint32Array {
  const held = new Map<number, readonly [number, number]>();
  const keyOf = (a: number, b: number): number => Math.min(a, b) * 2 ** 26 + Math.max(a, b);
  for (let i = 0; i < edges.length; i += 2) held.set(keyOf(edges[i], edges[i + 1]), [edges[i], edges[i + 1]]);
  for (let i = 0; i * 2 < parents.length; i++) {
    const [a, b] = [parents[i * 2], parents[i * 2 + 1]];
    if (!held.delete(keyOf(a, b))) continue;
    for (const end of [a, b])
      held.set(keyOf(end, from + i), [Math.min(end, from + i), Math.max(end, from + i)]);
  }
  return Uint32Array.from([...held.values()].flat());
}
