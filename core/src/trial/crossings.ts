import type { BendMesh } from './bendRegion.ts';
import { FaceCells, piercingEdges } from './piercing.ts';

/** A part of the surface in some pose, against rest. */
export interface PosedPart {
  readonly mesh: BendMesh;
  /** Float32Array, 3·pointCount, in the scene. */
  readonly positions: Float32Array;
  readonly restPositions: Float32Array;
}

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
 * Counts where two parts run through each other: edges through faces, without those that do so at rest. Depth is told by
 * points that changed sides: on the outer side of the nearest face at rest, on the inner in the pose, or the other way
 * round; and hang together with a place where an edge runs through.
 */
export function findCrossings(a: PosedPart, b: PosedPart): Crossing {
  const now = [piercingPair(a, b, false), piercingPair(b, a, false)];
  if (now[0].length === 0 && now[1].length === 0) return NO_CROSSING;
  const rest = [new Set(piercingPair(a, b, true)), new Set(piercingPair(b, a, true))];
  const fresh = now.map((list, i) => list.filter((edge) => !rest[i].has(edge)));
  const places = fresh[0].length + fresh[1].length;
  if (places === 0) return NO_CROSSING;
  const one = beyond(a, b, [...endsOf(a, fresh[0])]);
  const other = beyond(b, a, [...endsOf(b, fresh[1])]);
  return { places, points: [one.points, other.points], depth: Math.max(one.depth, other.depth) };
}

const endsOf = ({ mesh }: PosedPart, edges: readonly number[]): Set<number> =>
  new Set(edges.flatMap((e) => [mesh.edges[e * 2], mesh.edges[e * 2 + 1]]));

/** Edges of one part that run through the other, in the pose or at rest. */
function piercingPair(edges: PosedPart, faces: PosedPart, atRest: boolean): number[] {
  const from = atRest ? edges.restPositions : edges.positions;
  const at = atRest ? faces.restPositions : faces.positions;
  const { edgeList, faceList } = nearEachOther(edges.mesh, from, faces.mesh, at);
  if (edgeList.length === 0 || faceList.length === 0) return [];
  const cells = new FaceCells(at, faces.mesh.triangles, faceList);
  return piercingEdges(from, edges.mesh.edges, edgeList, cells, at, faces.mesh.triangles, false);
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

/** Points that changed sides of the other part, from the given ones on along edges; and the deepest of them. */
function beyond(
  own: PosedPart,
  other: PosedPart,
  seeds: readonly number[],
): { points: Uint32Array; depth: number } {
  const posed = new SideFinder(other.mesh, other.positions);
  const rest = new SideFinder(other.mesh, other.restPositions);
  const linked = linksOf(own.mesh);
  const met = new Set(seeds);
  const points: number[] = [];
  let depth = 0;
  const queue = [...seeds];
  for (const p of queue) {
    const now = posed.side(own.positions, p);
    if (now === undefined) continue;
    const before = rest.side(own.restPositions, p);
    if (before !== undefined && before.sign === now.sign) continue;
    // A point whose side at rest is unknown was outside.
    if (before === undefined && now.sign > 0) continue;
    points.push(p);
    depth = Math.max(depth, now.distance);
    for (let e = linked.starts[p]; e < linked.starts[p + 1]; e++) {
      const next = linked.points[e];
      if (met.has(next)) continue;
      met.add(next);
      queue.push(next);
    }
  }
  return { points: Uint32Array.from(points).sort(), depth };
}

function linksOf({ edges, pointCount }: BendMesh): { starts: Uint32Array; points: Uint32Array } {
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
  readonly #triangles: Uint32Array;
  readonly #positions: Float32Array;
  readonly #cells: FaceCells;

  constructor({ triangles }: BendMesh, positions: Float32Array) {
    this.#triangles = triangles;
    this.#positions = positions;
    this.#cells = new FaceCells(
      positions,
      triangles,
      Uint32Array.from({ length: triangles.length / 3 }, (_, t) => t),
    );
  }

  /** Undefined where no face is near, or the nearest place lies on the rim of one. */
  side(from: Float32Array, p: number): { sign: number; distance: number } | undefined {
    const [x, y, z] = [from[p * 3], from[p * 3 + 1], from[p * 3 + 2]];
    for (let reach = this.#cells.size; reach < this.#cells.size * 64; reach *= 2) {
      let best = Infinity;
      let sign = 0;
      this.#cells.near(x - reach, y - reach, z - reach, x + reach, y + reach, z + reach, (t) => {
        const found = this.#toFace(t, x, y, z);
        if (
          found.squared < best - 1e-18 ||
          (found.squared <= best && Math.abs(found.height) > Math.abs(sign))
        ) {
          best = found.squared;
          sign = found.height;
        }
        return false;
      });
      const distance = Math.sqrt(best);
      if (distance <= reach) return sign === 0 ? undefined : { sign: Math.sign(sign), distance };
    }
    return undefined;
  }

  /** Squared distance to a face, and the height over its plane. */
  #toFace(t: number, x: number, y: number, z: number): { squared: number; height: number } {
    const s = this.#positions;
    const [a, b, c] = [0, 1, 2].map((k) => this.#triangles[t * 3 + k] * 3);
    const ux = s[b] - s[a];
    const uy = s[b + 1] - s[a + 1];
    const uz = s[b + 2] - s[a + 2];
    const vx = s[c] - s[a];
    const vy = s[c + 1] - s[a + 1];
    const vz = s[c + 2] - s[a + 2];
    const wx = x - s[a];
    const wy = y - s[a + 1];
    const wz = z - s[a + 2];
    const nx = uy * vz - uz * vy;
    const ny = uz * vx - ux * vz;
    const nz = ux * vy - uy * vx;
    const n = Math.sqrt(nx * nx + ny * ny + nz * nz) || 1;
    const height = (wx * nx + wy * ny + wz * nz) / n;
    // The nearest place (Ericson 2005, “Real-time collision detection”, 5.1.5).
    const d1 = ux * wx + uy * wy + uz * wz;
    const d2 = vx * wx + vy * wy + vz * wz;
    let [p, q] = [0, 0];
    const uu = ux * ux + uy * uy + uz * uz;
    const uv = ux * vx + uy * vy + uz * vz;
    const vv = vx * vx + vy * vy + vz * vz;
    const det = uu * vv - uv * uv;
    if (det > 0) {
      p = (vv * d1 - uv * d2) / det;
      q = (uu * d2 - uv * d1) / det;
    }
    if (!(p >= 0 && q >= 0 && p + q <= 1)) [p, q] = onRim(uu, uv, vv, d1, d2);
    const dx = wx - p * ux - q * vx;
    const dy = wy - p * uy - q * vy;
    const dz = wz - p * uz - q * vz;
    return { squared: dx * dx + dy * dy + dz * dz, height };
  }
}

/** The nearest place on a triangle's three sides, as shares of its two edges. */
function onRim(uu: number, uv: number, vv: number, d1: number, d2: number): [number, number] {
  const clamp = (x: number): number => (x < 0 ? 0 : x > 1 ? 1 : x);
  const far = (p: number, q: number): number =>
    p * p * uu + 2 * p * q * uv + q * q * vv - 2 * (p * d1 + q * d2);
  const p = clamp(uu > 0 ? d1 / uu : 0);
  const q = clamp(vv > 0 ? d2 / vv : 0);
  const slant = uu - 2 * uv + vv;
  const r = clamp(slant > 0 ? (uu - uv + d2 - d1) / slant : 0);
  const choices: [number, number][] = [
    [p, 0],
    [0, q],
    [1 - r, r],
  ];
  return choices.reduce((best, one) => (far(...one) < far(...best) ? one : best));
}
