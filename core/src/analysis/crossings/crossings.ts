import { PointTree } from '../../spatial/pointTree.ts';
import type { BendMesh } from '../bends/bendRegion.ts';
import { FaceCells, piercingEdges } from '../../spatial/piercing.ts';

/** How one part crosses another in a pose. */
export interface Crossing {
  /** Places where an edge of either runs through the other, and does not at rest. */
  readonly places: number;
  /** Points of the first and of the second part that lie beyond the other's surface, rising. */
  readonly points: readonly [Uint32Array, Uint32Array];
  /** How deep the deepest of them lies, in scene units. */
  readonly depth: number;
}

export const NO_CROSSING: Crossing = {
  places: 0,
  points: [new Uint32Array(0), new Uint32Array(0)],
  depth: 0,
};

/**
 * Counts where two parts run through each other, in any number of poses: edges through faces, without those that do so at
 * rest. Depth is told by points that changed sides: on the outer side of the nearest face at rest, on the inner in the
 * pose, or the other way round; and hang together with a place where an edge runs through.
 */
export class CrossingFinder {
  readonly #meshes: readonly [BendMesh, BendMesh];
  readonly #links: (Links | undefined)[] = [];
  readonly #restSides: (SideFinder | undefined)[] = [];
  #atRest: readonly ReadonlySet<number>[] | undefined;

  constructor(one: BendMesh, other: BendMesh) {
    this.#meshes = [one, other];
  }

  /** @param positions of both parts in the pose, each Float32Array, 3·pointCount, in the scene */
  find(positions: readonly [Float32Array, Float32Array]): Crossing {
    const now = this.#piercing(positions);
    if (now.every(({ length }) => length === 0)) return NO_CROSSING;
    const [one, other] = this.#meshes;
    this.#atRest ??= this.#piercing([one.restPositions, other.restPositions]).map((list) => new Set(list));
    const atRest = this.#atRest;
    const fresh = now.map((list, i) => list.filter((edge) => !atRest[i].has(edge)));
    const places = fresh[0].length + fresh[1].length;
    if (places === 0) return NO_CROSSING;
    const [a, b] = [0, 1].map((own) =>
      this.#hasSides(own) ? this.#beyond(own, positions, fresh) : { points: new Uint32Array(0), depth: 0 },
    );
    return { places, points: [a.points, b.points], depth: Math.max(a.depth, b.depth) };
  }

  /** Of each part, the edges that run through the other. */
  #piercing(positions: readonly [Float32Array, Float32Array]): number[][] {
    return [0, 1].map((own) => {
      const [edges, faces] = [this.#meshes[own], this.#meshes[1 - own]];
      const [from, at] = [positions[own], positions[1 - own]];
      const { edgeList, faceList } = nearEachOther(edges, from, faces, at);
      if (edgeList.length === 0 || faceList.length === 0) return [];
      const cells = new FaceCells(at, faces.triangles, faceList);
      return piercingEdges(from, edges.edges, edgeList, cells, at, faces.triangles, false);
    });
  }

  /**
   * Whether points of a part are asked on which side of the other they lie. Far from an open surface there are no sides;
   * where the part itself is closed, the open one's points within it tell enough.
   */
  #hasSides(own: number): boolean {
    const [mesh, other] = [this.#meshes[own], this.#meshes[1 - own]];
    return !isOpen(other) || isOpen(mesh);
  }

  /** Points of a part about the ends of the other's edges. */
  #pointsNear(
    own: number,
    positions: readonly [Float32Array, Float32Array],
    edges: readonly number[],
  ): number[] {
    const { edges: ends } = this.#meshes[1 - own];
    const tree = treeOf(this.#meshes[own].triangles, positions[own]);
    const found = new Set<number>();
    for (const e of edges) {
      const a = ends[e * 2] * 3;
      const at = positions[1 - own];
      found.add(tree.nearest(at[a], at[a + 1], at[a + 2]));
    }
    return [...found].filter((p) => p >= 0);
  }

  /** Points that changed sides of the other part, from where one runs through the other on; and the deepest. */
  #beyond(
    own: number,
    positions: readonly [Float32Array, Float32Array],
    fresh: readonly (readonly number[])[],
  ): { points: Uint32Array; depth: number } {
    const [mesh, other] = [this.#meshes[own], this.#meshes[1 - own]];
    const posed = new SideFinder(other, positions[1 - own]);
    const rest = (this.#restSides[own] ??= new SideFinder(other, other.restPositions));
    const linked = (this.#links[own] ??= linksOf(mesh));
    const queue = [...new Set(fresh[own].flatMap((e) => [mesh.edges[e * 2], mesh.edges[e * 2 + 1]]))];
    // Where only the other's edges run through, the points of the faces that they run through are near by.
    if (queue.length === 0) queue.push(...this.#pointsNear(own, positions, fresh[1 - own]));
    const met = new Set(queue);
    const points: number[] = [];
    let depth = 0;
    for (const p of queue) {
      const now = posed.side(positions[own], p);
      if (now === undefined) continue;
      // A point whose side at rest cannot be told was outside.
      const before = rest.side(mesh.restPositions, p) ?? 1;
      if (before > 0 === now > 0) continue;
      points.push(p);
      depth = Math.max(depth, Math.abs(now));
      for (let e = linked.starts[p]; e < linked.starts[p + 1]; e++) {
        const next = linked.points[e];
        if (met.has(next)) continue;
        met.add(next);
        queue.push(next);
      }
    }
    return { points: Uint32Array.from(points).sort(), depth };
  }
}

/** Edges and faces within the box that both parts share. */
function nearEachOther(
  a: BendMesh,
  from: Float32Array,
  b: BendMesh,
  at: Float32Array,
): { edgeList: Uint32Array; faceList: Uint32Array } {
  const [one, other] = [boxOf(from), boxOf(at)];
  const least = one.least.map((x, k) => Math.max(x, other.least[k]));
  const most = one.most.map((x, k) => Math.min(x, other.most[k]));
  const meets = (positions: Float32Array, points: Uint32Array, i: number, corners: number): boolean => {
    for (let k = 0; k < 3; k++) {
      let [low, high] = [Infinity, -Infinity];
      for (let c = 0; c < corners; c++) {
        const x = positions[points[i * corners + c] * 3 + k];
        if (x < low) low = x;
        if (x > high) high = x;
      }
      if (high < least[k] || low > most[k]) return false;
    }
    return true;
  };
  const list = (positions: Float32Array, points: Uint32Array, corners: number): Uint32Array => {
    const found: number[] = [];
    for (let i = 0; i * corners < points.length; i++) if (meets(positions, points, i, corners)) found.push(i);
    return Uint32Array.from(found);
  };
  return { edgeList: list(from, a.edges, 2), faceList: list(at, b.triangles, 3) };
}

function boxOf(positions: Float32Array): { least: number[]; most: number[] } {
  const least = [Infinity, Infinity, Infinity];
  const most = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      const x = positions[i + k];
      if (x < least[k]) least[k] = x;
      if (x > most[k]) most[k] = x;
    }
  }
  return { least, most };
}

/** From this share of edges without a face beyond them on, a surface is open. */
const OPEN_SHARE = 0.01;
const openness = new WeakMap<BendMesh, boolean>();

function isOpen(mesh: BendMesh): boolean {
  let open = openness.get(mesh);
  if (open === undefined) {
    let rim = 0;
    for (let i = 0; i < mesh.beyond.length; i++) if (mesh.beyond[i] < 0) rim++;
    open = rim > OPEN_SHARE * mesh.beyond.length;
    openness.set(mesh, open);
  }
  return open;
}

interface Links {
  readonly starts: Uint32Array;
  readonly points: Uint32Array;
}

/** The points that share an edge with each point. */
function linksOf({ edges, pointCount }: BendMesh): Links {
  const starts = new Uint32Array(pointCount + 1);
  for (const p of edges) starts[p + 1]++;
  for (let p = 0; p < pointCount; p++) starts[p + 1] += starts[p];
  const ends = starts.slice(0, pointCount);
  const points = new Uint32Array(edges.length);
  for (let e = 0; e < edges.length; e += 2) {
    points[ends[edges[e]]++] = edges[e + 1];
    points[ends[edges[e + 1]]++] = edges[e];
  }
  return { starts, points };
}

/** On which side of the nearest face a place lies. */
class SideFinder {
  readonly #mesh: BendMesh;
  /** Uint8Array, pointCount: 1 for points on the rim of an open surface. */
  readonly #rimPoints: Uint8Array;
  readonly #triangles: Uint32Array;
  readonly #positions: Float32Array;
  readonly #cells: FaceCells;
  #tree: PointTree | undefined;
  #x = 0;
  #y = 0;
  #z = 0;
  #least = Infinity;
  #height = 0;
  #onRim = false;

  constructor(mesh: BendMesh, positions: Float32Array) {
    const { triangles } = mesh;
    this.#mesh = mesh;
    this.#rimPoints = rimOf(mesh);
    this.#triangles = triangles;
    this.#positions = positions;
    const all = Uint32Array.from({ length: triangles.length / 3 }, (_, t) => t);
    this.#cells = new FaceCells(positions, triangles, all);
  }

  /**
   * How far a place is from the nearest face; below 0 beneath it; undefined where it cannot be told: beyond the rim of an
   * open surface there are no sides. The nearest point leads to the faces about it, of which the nearest is taken.
   */
  side(from: Float32Array, p: number): number | undefined {
    this.#x = from[p * 3];
    this.#y = from[p * 3 + 1];
    this.#z = from[p * 3 + 2];
    const reach = this.#cells.size;
    // Nearly all lie close to the surface.
    this.#look(this.#x, this.#y, this.#z, reach);
    if (this.#least > reach * reach) {
      this.#tree ??= treeOf(this.#triangles, this.#positions);
      const near = this.#tree.nearest(this.#x, this.#y, this.#z) * 3;
      if (near < 0) return undefined;
      this.#look(this.#positions[near], this.#positions[near + 1], this.#positions[near + 2], reach);
    }
    if (this.#height === 0 || this.#onRim) return undefined;
    return Math.sign(this.#height) * Math.sqrt(this.#least);
  }

  #look(x: number, y: number, z: number, reach: number): void {
    this.#least = Infinity;
    this.#height = 0;
    this.#cells.near(x - reach, y - reach, z - reach, x + reach, y + reach, z + reach, this.#tryFace);
  }

  /**
   * The nearest place on a face (Ericson 2005, “Real-time collision detection”, 5.1.5). Where faces meet in what is
   * nearest, the one that the place stands most over tells the side.
   */
  readonly #tryFace = (t: number): boolean => {
    const s = this.#positions;
    const a = this.#triangles[t * 3] * 3;
    const b = this.#triangles[t * 3 + 1] * 3;
    const c = this.#triangles[t * 3 + 2] * 3;
    const ux = s[b] - s[a];
    const uy = s[b + 1] - s[a + 1];
    const uz = s[b + 2] - s[a + 2];
    const vx = s[c] - s[a];
    const vy = s[c + 1] - s[a + 1];
    const vz = s[c + 2] - s[a + 2];
    const wx = this.#x - s[a];
    const wy = this.#y - s[a + 1];
    const wz = this.#z - s[a + 2];
    const uu = ux * ux + uy * uy + uz * uz;
    const uv = ux * vx + uy * vy + uz * vz;
    const vv = vx * vx + vy * vy + vz * vz;
    const d1 = ux * wx + uy * wy + uz * wz;
    const d2 = vx * wx + vy * wy + vz * wz;
    const det = uu * vv - uv * uv;
    let p = det > 0 ? (vv * d1 - uv * d2) / det : -1;
    let q = det > 0 ? (uu * d2 - uv * d1) / det : -1;
    if (p < 0 || q < 0 || p + q > 1) {
      // On one of the three sides: the one that comes nearest.
      const p1 = clamp(uu > 0 ? d1 / uu : 0);
      const q2 = clamp(vv > 0 ? d2 / vv : 0);
      const slant = uu - 2 * uv + vv;
      const r = clamp(slant > 0 ? (uu - uv + d2 - d1) / slant : 0);
      const far1 = p1 * p1 * uu - 2 * p1 * d1;
      const far2 = q2 * q2 * vv - 2 * q2 * d2;
      const s3 = 1 - r;
      const far3 = s3 * s3 * uu + 2 * s3 * r * uv + r * r * vv - 2 * (s3 * d1 + r * d2);
      [p, q] = far1 <= far2 && far1 <= far3 ? [p1, 0] : far2 <= far3 ? [0, q2] : [s3, r];
    }
    const dx = wx - p * ux - q * vx;
    const dy = wy - p * uy - q * vy;
    const dz = wz - p * uz - q * vz;
    const squared = dx * dx + dy * dy + dz * dz;
    const slack = 1e-6 * squared;
    if (squared > this.#least + slack) return false;
    const nx = uy * vz - uz * vy;
    const ny = uz * vx - ux * vz;
    const nz = ux * vy - uy * vx;
    const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
    const height = length > 0 ? (wx * nx + wy * ny + wz * nz) / length : 0;
    if (squared < this.#least - slack || Math.abs(height) > Math.abs(this.#height)) {
      this.#height = height;
      this.#onRim = this.#isRim(t, p, q);
    }
    if (squared < this.#least) this.#least = squared;
    return false;
  };

  /** Whether a place of a face, as shares of its two edges, lies on a rim. */
  #isRim(t: number, p: number, q: number): boolean {
    const at = t * 3;
    const corner = p === 0 && q === 0 ? 0 : p === 1 ? 1 : q === 1 ? 2 : -1;
    if (corner >= 0) return this.#rimPoints[this.#triangles[at + corner]] === 1;
    const { beyond } = this.#mesh;
    if (q === 0) return beyond[at] < 0;
    if (p === 0) return beyond[at + 2] < 0;
    return p + q >= 1 - 1e-12 && beyond[at + 1] < 0;
  }
}

/** Points that an edge without a face beyond it ends at. */
function rimOf({ triangles, beyond, pointCount }: BendMesh): Uint8Array {
  const rim = new Uint8Array(pointCount);
  for (let i = 0; i < beyond.length; i++) {
    if (beyond[i] >= 0) continue;
    rim[triangles[i]] = 1;
    rim[triangles[i % 3 === 2 ? i - 2 : i + 1]] = 1;
  }
  return rim;
}

/** All points that faces use. */
function treeOf(triangles: Uint32Array, positions: Float32Array): PointTree {
  const used = new Uint8Array(positions.length / 3);
  for (let i = 0; i < triangles.length; i++) used[triangles[i]] = 1;
  return new PointTree(
    positions,
    Uint32Array.from(used.keys()).filter((p) => used[p] === 1),
  );
}

const clamp = (x: number): number => (x < 0 ? 0 : x > 1 ? 1 : x);
