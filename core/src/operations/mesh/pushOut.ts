import { mat3 } from 'gl-matrix';
import type { CharacterPart } from '../../document/character.ts';
import { partPlace } from '../../document/space/boundSpace.ts';
import type { DriverSurface } from '../../deform/follow/anchors.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { growMask, listMask, maskOf } from '../../mesh/masks.ts';
import { createSurfaceHit, type SurfaceHit, TriangleTree } from '../../spatial/triangleTree.ts';

/** A part of which something lies on the wrong side of another one's surface at rest. Both in bound space. */
export interface PushedPart {
  readonly part: Pick<CharacterPart, 'inverseBinds'>;
  /** Float32Array, 3 a point. */
  readonly positions: Float32Array;
  readonly neighbours: Neighbours;
  /** Float32Array, a point each: how far it stands off the surface, below zero on the inner side. */
  readonly heights: Float32Array;
}

export interface PushRequest {
  /** How far off the surface a point is to be at least, scene units. */
  readonly distance: number;
  /** Whether it is to be inside instead, as in a cage. */
  readonly inside?: boolean;
}

/** Rings about what is pushed that go along, less and less, so that there is no step. */
const RINGS = 4;
const PASSES = 12;

/**
 * Moves points to the right side of a surface, at least so far off it: straight away from the nearest place. What lies about them
 * goes along softly.
 *
 * @returns by point, how far it is moved, part space; empty where nothing lies too near
 */
export function pushOut(
  { part, positions, neighbours, heights }: PushedPart,
  surface: DriverSurface,
  { distance, inside = false }: PushRequest,
): Map<number, [number, number, number]> {
  const side = inside ? -1 : 1;
  const near = Uint32Array.from(heights.keys()).filter((p) => side * heights[p] < distance);
  if (near.length === 0) return new Map();
  const sight = new NearestPlace(surface);
  const moves = new Float64Array(positions.length);
  for (const p of near) sight.push(positions, p, side, distance, moves);
  const around = soften(moves, maskOf(near, heights.length), neighbours);
  // What went along may have come too near itself.
  for (const p of around) sight.push(positions, p, side, distance, moves);
  const back = mat3.invert(mat3.create(), mat3.fromMat4(mat3.create(), partPlace(part))) ?? mat3.create();
  const out = new Map<number, [number, number, number]>();
  for (const p of around) {
    const [x, y, z] = moves.subarray(p * 3);
    const [a, b, c] = [0, 1, 2].map((k) => back[k] * x + back[3 + k] * y + back[6 + k] * z);
    if (a !== 0 || b !== 0 || c !== 0) out.set(p, [a, b, c]);
  }
  return out;
}

/** Spreads moves over the rings about the points that have them, which keep theirs. @returns all points that may be moved */
function soften(moves: Float64Array, pushed: Uint8Array, neighbours: Neighbours): Uint32Array {
  let reach = pushed;
  for (let ring = 0; ring < RINGS; ring++) reach = growMask(neighbours, reach);
  const around = listMask(reach);
  const { offsets, points } = neighbours;
  for (let pass = 0; pass < PASSES; pass++)
    for (const p of around) {
      const [from, to] = [offsets[p], offsets[p + 1]];
      if (pushed[p] === 1 || from === to) continue;
      for (let k = 0; k < 3; k++) {
        let sum = 0;
        for (let e = from; e < to; e++) sum += moves[points[e] * 3 + k];
        moves[p * 3 + k] = sum / (to - from);
      }
    }
  return around;
}

/** The nearest place of a surface, and the way out from there. */
class NearestPlace {
  readonly #surface: DriverSurface;
  readonly #tree: TriangleTree;
  readonly #hit: SurfaceHit = createSurfaceHit();
  readonly #place = new Float64Array(3);
  readonly #normal = new Float64Array(3);

  constructor(surface: DriverSurface) {
    this.#surface = surface;
    this.#tree = new TriangleTree(surface.positions, surface.triangles);
  }

  /** Adds to a point's move what it lacks to stand so far off on a side. */
  push(positions: Float32Array, p: number, side: number, distance: number, moves: Float64Array): void {
    const at = [0, 1, 2].map((k) => positions[p * 3 + k] + moves[p * 3 + k]);
    this.#tree.nearest(at[0], at[1], at[2], Infinity, this.#hit);
    if (this.#hit.triangle < 0) return;
    this.#look();
    let height = 0;
    for (let k = 0; k < 3; k++) height += (at[k] - this.#place[k]) * this.#normal[k] * side;
    if (height >= distance) return;
    for (let k = 0; k < 3; k++)
      moves[p * 3 + k] += this.#place[k] + side * distance * this.#normal[k] - at[k];
  }

  #look(): void {
    const { triangle, u, v, w } = this.#hit;
    const { positions, normals, triangles } = this.#surface;
    const shares = [u, v, w];
    let squares = 0;
    for (let k = 0; k < 3; k++) {
      this.#place[k] = this.#normal[k] = 0;
      for (let c = 0; c < 3; c++) {
        const from = triangles[triangle * 3 + c] * 3 + k;
        this.#place[k] += shares[c] * positions[from];
        this.#normal[k] += shares[c] * normals[from];
      }
      squares += this.#normal[k] ** 2;
    }
    const length = Math.sqrt(squares) || 1;
    for (let k = 0; k < 3; k++) this.#normal[k] /= length;
  }
}
