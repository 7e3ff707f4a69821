import { listEdges } from '../../mesh/topology.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { edgeLengths, restAreas } from './strain.ts';

/** What never changes of a part while its bends are measured. Places and normals as at rest, in the scene. */
export interface BendMesh {
  readonly pointCount: number;
  readonly triangles: Uint32Array;
  readonly edges: Uint32Array;
  /** Float32Array, an edge and a face each; areas are twice the face's own, with a sign: see strain.ts. */
  readonly lengths: Float32Array;
  readonly areas: Float32Array;
  /** Int32Array, three a face: the face beyond the edge from that corner to the next; -1 on a border. */
  readonly beyond: Int32Array;
  readonly restPositions: Float32Array;
  readonly restNormals: Float32Array;
  readonly neighbours: Neighbours;
}

export function createBendMesh(
  triangles: Uint32Array,
  neighbours: Neighbours,
  restPositions: Float32Array,
  restNormals: Float32Array,
): BendMesh {
  const edges = listEdges(neighbours);
  return {
    pointCount: restPositions.length / 3,
    triangles,
    edges,
    lengths: edgeLengths(edges, restPositions),
    areas: restAreas(triangles, restPositions, restNormals),
    beyond: findBeyond(triangles, restPositions.length / 3),
    restPositions,
    restNormals,
    neighbours,
  };
}

/** The face beyond each edge of a face, from that corner to the next; -1 where there is none. */
function findBeyond(triangles: Uint32Array, pointCount: number): Int32Array {
  const starts = new Uint32Array(pointCount + 1);
  for (let i = 0; i < triangles.length; i++) starts[triangles[i] + 1]++;
  for (let p = 0; p < pointCount; p++) starts[p + 1] += starts[p];
  const ends = starts.slice(0, pointCount);
  const corners = new Uint32Array(triangles.length);
  for (let i = 0; i < triangles.length; i++) corners[ends[triangles[i]]++] = i;
  const beyond = new Int32Array(triangles.length).fill(-1);
  for (let i = 0; i < triangles.length; i++) {
    const from = triangles[i];
    const to = triangles[nextCorner(i)];
    for (let k = starts[to]; k < starts[to + 1]; k++) {
      if (triangles[nextCorner(corners[k])] !== from) continue;
      beyond[i] = Math.floor(corners[k] / 3);
      break;
    }
  }
  return beyond;
}

const nextCorner = (i: number): number => (i % 3 === 2 ? i - 2 : i + 1);

/** Why the volume of a region is not defined. */
export type NoVolume = 'open' | 'flat';

/**
 * The part of a surface that a joint's turn deforms: all edges and faces that do not move whole with it or stay whole.
 * Where it is cut out of the rest, flat lids close it, so that it has a volume.
 */
export interface BendRegion {
  readonly part: number;
  /** Numbers of edges and faces of the part. */
  readonly edges: Uint32Array;
  readonly faces: Uint32Array;
  /** The same with some rings around, where the surface may run through itself. */
  readonly nearEdges: Uint32Array;
  readonly nearFaces: Uint32Array;
  /** All points that these use, rising. */
  readonly points: Uint32Array;
  /** Lids: two points an edge, lid by lid; lid i has the edges lidStarts[i] .. lidStarts[i + 1]. */
  readonly lidEdges: Uint32Array;
  readonly lidStarts: Uint32Array;
  readonly restVolume: number;
  readonly noVolume: NoVolume | undefined;
}

/** Below this share of a point's weight nothing is seen to move. */
const MIN_SHARE = 1e-3;
/** Rings around a region that are looked at for crossings. */
const NEAR_RINGS = 2;
/** A region of less volume than this share of a ball of the same surface is a sheet. */
const FLAT_SHARE = 0.02;

/**
 * The region that deforms when one joint turns: weights of the joint and all below it, against the others.
 *
 * @param shares Float32Array, a point each: how much of it moves along; see {@link sharesOf}
 */
export function findBendRegion(part: number, mesh: BendMesh, shares: Float32Array): BendRegion | undefined {
  const { edges, triangles } = mesh;
  const ways = waysOf(shares);
  const used = new Uint8Array(shares.length);
  const foundEdges: number[] = [];
  for (let e = 0; e < edges.length; e += 2) {
    const [a, b] = [edges[e], edges[e + 1]];
    if (!differ(ways[a] | ways[b])) continue;
    foundEdges.push(e / 2);
    used[a] = used[b] = 1;
  }
  if (foundEdges.length === 0) return undefined;
  const faces: number[] = [];
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [triangles[t], triangles[t + 1], triangles[t + 2]];
    if (!differ(ways[a] | ways[b] | ways[c])) continue;
    faces.push(t / 3);
    used[a] = used[b] = used[c] = 1;
  }
  const own = new Uint32Array(faces);
  return {
    part,
    edges: new Uint32Array(foundEdges),
    faces: own,
    ...surroundings(mesh, used),
    ...closeRegion(mesh, own),
  };
}

/** A region's points with some rings around: edges and faces among them. `used` is changed. */
function surroundings(
  { edges, triangles, neighbours, pointCount }: BendMesh,
  used: Uint8Array,
): Pick<BendRegion, 'nearEdges' | 'nearFaces' | 'points'> {
  let rim: number[] = [];
  for (let p = 0; p < pointCount; p++) if (used[p] !== 0) rim.push(p);
  for (let ring = 0; ring < NEAR_RINGS; ring++) {
    const found: number[] = [];
    for (const p of rim)
      for (let n = neighbours.offsets[p]; n < neighbours.offsets[p + 1]; n++) {
        const q = neighbours.points[n];
        if (used[q] !== 0) continue;
        used[q] = 1;
        found.push(q);
      }
    rim = found;
  }
  const points: number[] = [];
  for (let p = 0; p < pointCount; p++) if (used[p] !== 0) points.push(p);
  const nearEdges: number[] = [];
  for (let e = 0; e < edges.length; e += 2)
    if ((used[edges[e]] & used[edges[e + 1]]) !== 0) nearEdges.push(e / 2);
  const nearFaces: number[] = [];
  for (let t = 0; t < triangles.length; t += 3)
    if ((used[triangles[t]] & used[triangles[t + 1]] & used[triangles[t + 2]]) !== 0) nearFaces.push(t / 3);
  return {
    nearEdges: new Uint32Array(nearEdges),
    nearFaces: new Uint32Array(nearFaces),
    points: new Uint32Array(points),
  };
}

/**
 * Float32Array, a point each: how much of it moves along; undefined where nothing does. Points without any weight are
 * not numbers: they stay behind whatever moves, which is no bend.
 *
 * @param moves Uint8Array, jointCount: 1 for the joint that turns and all below it
 */
export function sharesOf(
  { joints, values, stride, pointCount }: WeightRows,
  moves: Uint8Array,
): Float32Array | undefined {
  const shares = new Float32Array(pointCount);
  let some = false;
  for (let p = 0; p < pointCount; p++) {
    let share = 0;
    for (let k = p * stride, end = k + stride; k < end && values[k] !== 0; k++)
      if (moves[joints[k]]) share += values[k];
    shares[p] = values[p * stride] === 0 ? NaN : share;
    some ||= share > MIN_SHARE;
  }
  return some ? shares : undefined;
}

/** How a point goes along, as flags: not, whole, in part; or it has no weight. */
const [STAYS, GOES, BLENDS, LOOSE] = [1, 2, 4, 8];

function waysOf(shares: Float32Array): Uint8Array {
  const ways = new Uint8Array(shares.length);
  for (let p = 0; p < shares.length; p++) {
    const share = shares[p];
    if (Number.isNaN(share)) ways[p] = LOOSE;
    else ways[p] = share <= MIN_SHARE ? STAYS : share < 1 - MIN_SHARE ? BLENDS : GOES;
  }
  return ways;
}

/** Whether points that go along in these ways, together, move otherwise than as one; those without weight are no bend. */
const differ = (ways: number): boolean => ways > GOES && ways < LOOSE;

function closeRegion(
  mesh: BendMesh,
  faces: Uint32Array,
): Pick<BendRegion, 'lidEdges' | 'lidStarts' | 'restVolume' | 'noVolume'> {
  const { triangles, beyond, restPositions, areas } = mesh;
  const inside = new Uint8Array(areas.length);
  for (let f = 0; f < faces.length; f++) inside[faces[f]] = 1;
  const cut: [number, number][] = [];
  let isOpen = false;
  for (let f = 0; f < faces.length; f++) {
    for (let i = faces[f] * 3; i < faces[f] * 3 + 3; i++) {
      if (beyond[i] >= 0 && inside[beyond[i]]) continue;
      if (beyond[i] < 0) isOpen = true;
      cut.push([triangles[nextCorner(i)], triangles[i]]);
    }
  }
  const lids = groupLids(cut);
  const lidEdges = new Uint32Array(lids.flat(2));
  const lidStarts = new Uint32Array(lids.length + 1);
  lids.forEach((lid, i) => (lidStarts[i + 1] = lidStarts[i] + lid.length));
  const restVolume = volumeOf(mesh, { faces, lidEdges, lidStarts }, restPositions);
  let area = 0;
  for (const t of faces) area += Math.abs(areas[t]) / 2;
  const ball = Math.pow(area, 1.5) / (6 * Math.sqrt(Math.PI));
  const noVolume = isOpen ? 'open' : Math.abs(restVolume) < FLAT_SHARE * ball ? 'flat' : undefined;
  return { lidEdges, lidStarts, restVolume, noVolume };
}

/** Edges that hang together make one lid. */
function groupLids(cut: readonly (readonly [number, number])[]): (readonly [number, number])[][] {
  const parent = new Map<number, number>();
  const find = (p: number): number => {
    let root = p;
    while ((parent.get(root) ?? root) !== root) root = parent.get(root) as number;
    parent.set(p, root);
    return root;
  };
  for (const [a, b] of cut) {
    parent.set(a, parent.get(a) ?? a);
    parent.set(b, parent.get(b) ?? b);
    parent.set(find(a), find(b));
  }
  const lids = new Map<number, (readonly [number, number])[]>();
  for (const edge of cut) {
    const root = find(edge[0]);
    const lid = lids.get(root);
    if (lid) lid.push(edge);
    else lids.set(root, [edge]);
  }
  return [...lids.values()];
}

/** The volume within a region's faces and its lids; each lid is a fan about the middle of its edges. */
export function volumeOf(
  { triangles }: Pick<BendMesh, 'triangles'>,
  { faces, lidEdges, lidStarts }: Pick<BendRegion, 'faces' | 'lidEdges' | 'lidStarts'>,
  positions: Float32Array,
): number {
  if (faces.length === 0) return 0;
  // Measured from a point of the region, so that a place far from the origin does not lose its figures.
  const o = triangles[faces[0] * 3] * 3;
  const [ox, oy, oz] = [positions[o], positions[o + 1], positions[o + 2]];
  let six = 0;
  const add = (
    ax: number,
    ay: number,
    az: number,
    bx: number,
    by: number,
    bz: number,
    cx: number,
    cy: number,
    cz: number,
  ): void => {
    six +=
      (ax - ox) * ((by - oy) * (cz - oz) - (bz - oz) * (cy - oy)) +
      (ay - oy) * ((bz - oz) * (cx - ox) - (bx - ox) * (cz - oz)) +
      (az - oz) * ((bx - ox) * (cy - oy) - (by - oy) * (cx - ox));
  };
  const p = positions;
  for (let f = 0; f < faces.length; f++) {
    const t = faces[f] * 3;
    const [a, b, c] = [triangles[t] * 3, triangles[t + 1] * 3, triangles[t + 2] * 3];
    add(p[a], p[a + 1], p[a + 2], p[b], p[b + 1], p[b + 2], p[c], p[c + 1], p[c + 2]);
  }
  for (let lid = 0; lid + 1 < lidStarts.length; lid++) {
    const [from, to] = [lidStarts[lid], lidStarts[lid + 1]];
    let [mx, my, mz] = [0, 0, 0];
    for (let e = from; e < to; e++) {
      const a = lidEdges[e * 2] * 3;
      mx += p[a] / (to - from);
      my += p[a + 1] / (to - from);
      mz += p[a + 2] / (to - from);
    }
    for (let e = from; e < to; e++) {
      const [a, b] = [lidEdges[e * 2] * 3, lidEdges[e * 2 + 1] * 3];
      add(p[a], p[a + 1], p[a + 2], p[b], p[b + 1], p[b + 2], mx, my, mz);
    }
  }
  return six / 6;
}
