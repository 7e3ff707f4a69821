import { computeNormals } from '../../mesh/normals.ts';
import { createSurfaceHit, TriangleTree, type SurfaceHit } from '../../spatial/triangleTree.ts';

/** What a counterpart on the surface has to keep to. */
export interface Gates {
  /** In target units. */
  readonly distance: number;
  /** Between the normals, in degrees, 0 to 180. */
  readonly angle: number;
}

/** A surface that counterparts are looked for on, in the space of the points that ask. */
export interface SearchSurface {
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
}

/**
 * Counterparts of points on another surface.
 *
 * - `triangles` Int32Array: triangle of the surface; -1 for none that can be trusted.
 * - `shares`    Float32Array, 3 a point: of its corners.
 * - `distances` Float32Array: how far away; Infinity for none.
 */
export interface SurfaceMatch {
  readonly triangles: Int32Array;
  readonly shares: Float32Array;
  readonly distances: Float32Array;
}

/** A place that faces the right way but lies so much farther than the nearest one of all is behind something. */
const MAX_DETOUR = 2.5;
/** The same for places that are near anyhow, as a share of the distance gate. */
const NEAR = 0.35;

/**
 * Finds for each point the nearest place on a surface that faces the same way, within a distance. Where something else of
 * the surface lies much nearer (the other side of a fold, the arm beside the chest), it is not trusted.
 *
 * @param positions Float32Array, 3 a point; with `normals` of length one, or zero where any way will do
 * @param points    those to be matched, rising; others stay unmatched
 */
export function matchSurface(
  positions: Float32Array,
  normals: Float32Array,
  points: Uint32Array,
  surface: SearchSurface,
  gates: Gates,
): SurfaceMatch {
  const count = positions.length / 3;
  const match: SurfaceMatch = {
    triangles: new Int32Array(count).fill(-1),
    shares: new Float32Array(count * 3),
    distances: new Float32Array(count).fill(Infinity),
  };
  const tree = new TriangleTree(surface.positions, surface.triangles);
  const facing = new Facing(surface, Math.cos((gates.angle * Math.PI) / 180));
  const search = new Search(positions, normals, tree, facing, gates);
  for (const p of points) search.nearest(p, match);
  search.along(points, match);
  return match;
}

/** Lies a place so near to where a point's normal leads, against how far it had to go, it is the one below it. */
const BELOW = 0.5;
/** Nearer than this share of the distance gate, a surface is the same one, not a layer over it. */
const TOUCHING = 0.02;

class Search {
  readonly #positions: Float32Array;
  readonly #normals: Float32Array;
  readonly #tree: TriangleTree;
  readonly #facing: Facing;
  readonly #gates: Gates;
  readonly #hit = createSurfaceHit();
  readonly #nearest = createSurfaceHit();

  constructor(
    positions: Float32Array,
    normals: Float32Array,
    tree: TriangleTree,
    facing: Facing,
    gates: Gates,
  ) {
    this.#positions = positions;
    this.#normals = normals;
    this.#tree = tree;
    this.#facing = facing;
    this.#gates = gates;
  }

  /** The nearest place that faces as the point does, unless something else is much nearer. */
  nearest(p: number, match: SurfaceMatch): void {
    const positions = this.#positions;
    const [nearest, hit, facing] = [this.#nearest, this.#hit, this.#facing];
    const x = positions[p * 3];
    const y = positions[p * 3 + 1];
    const z = positions[p * 3 + 2];
    const { distance } = this.#gates;
    this.#look(p);
    this.#tree.nearest(x, y, z, distance, nearest);
    if (nearest.triangle < 0) return;
    if (facing.fits(nearest)) {
      put(match, p, nearest, nearest.distance);
      return;
    }
    const most = Math.min(distance, Math.max(MAX_DETOUR * nearest.distance, NEAR * distance));
    this.#tree.nearest(x, y, z, most, hit, facing.fits);
    if (hit.triangle >= 0) put(match, p, hit, hit.distance);
  }

  /**
   * A layer over a surface lies about as far from it everywhere, along its normals: what is found there is taken before
   * what is nearest, which in folds and beside thin limbs is often something else.
   */
  along(points: Uint32Array, match: SurfaceMatch): void {
    const layer = Float32Array.from(
      points.filter((p) => match.triangles[p] >= 0),
      (p) => match.distances[p],
    ).sort();
    if (layer.length === 0) return;
    const usual = layer[layer.length >> 1];
    if (usual < TOUCHING * this.#gates.distance) return;
    for (const p of points) this.#follow(p, usual, match);
  }

  #follow(p: number, usual: number, match: SurfaceMatch): void {
    const own = match.distances[p];
    let least = BELOW;
    this.#look(p);
    for (const reach of own < Infinity ? [own, usual] : [usual])
      for (const sign of [-1, 1]) {
        const far = sign * reach;
        this.#tree.nearest(
          this.#positions[p * 3] + far * this.#normals[p * 3],
          this.#positions[p * 3 + 1] + far * this.#normals[p * 3 + 1],
          this.#positions[p * 3 + 2] + far * this.#normals[p * 3 + 2],
          least * reach,
          this.#hit,
          this.#facing.fits,
        );
        if (this.#hit.triangle < 0) continue;
        least = this.#hit.distance / reach;
        put(match, p, this.#hit, reach);
      }
  }

  #look(p: number): void {
    this.#facing.look(this.#normals[p * 3], this.#normals[p * 3 + 1], this.#normals[p * 3 + 2]);
  }
}

function put(match: SurfaceMatch, p: number, { triangle, u, v, w }: SurfaceHit, distance: number): void {
  match.triangles[p] = triangle;
  match.shares[p * 3] = u;
  match.shares[p * 3 + 1] = v;
  match.shares[p * 3 + 2] = w;
  match.distances[p] = distance;
}

/** Asks places of a surface whether they face as a point does. */
class Facing {
  readonly #triangles: Uint32Array;
  readonly #normals: Float32Array;
  readonly #least: number;
  #x = 0;
  #y = 0;
  #z = 0;

  constructor({ positions, triangles }: SearchSurface, least: number) {
    this.#triangles = triangles;
    this.#normals = computeNormals(positions, triangles);
    this.#least = least;
  }

  look(x: number, y: number, z: number): void {
    this.#x = x;
    this.#y = y;
    this.#z = z;
  }

  readonly fits = ({ triangle, u, v, w }: SurfaceHit): boolean => {
    if (this.#x === 0 && this.#y === 0 && this.#z === 0) return true;
    const normals = this.#normals;
    const a = this.#triangles[triangle * 3] * 3;
    const b = this.#triangles[triangle * 3 + 1] * 3;
    const c = this.#triangles[triangle * 3 + 2] * 3;
    const nx = u * normals[a] + v * normals[b] + w * normals[c];
    const ny = u * normals[a + 1] + v * normals[b + 1] + w * normals[c + 1];
    const nz = u * normals[a + 2] + v * normals[b + 2] + w * normals[c + 2];
    const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
    return length === 0 || nx * this.#x + ny * this.#y + nz * this.#z >= this.#least * length;
  };
}
