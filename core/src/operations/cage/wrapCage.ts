import { computeNormals } from '../../mesh/normals.ts';
import { trianglesOfQuads } from '../../mesh/quads.ts';
import { createSurfaceHit, TriangleTree } from '../../spatial/triangleTree.ts';
import type { QuadSurface } from './cellSurface.ts';
import type { Across } from './coarseCells.ts';
import type { SolidField } from './solidField.ts';

/** How a cage lies about what it holds. */
export interface Wrapping {
  readonly field: SolidField;
  /** Float32Array, 3 a place: what has to be within. */
  readonly places: Float32Array;
  /** The length of a quad's edge. */
  readonly edge: number;
  readonly across?: Across;
}

const SMOOTHINGS = 24;
/** So often it is only smoothed, before it is kept about all places as well. */
const BEFORE_ENCLOSING = 8;
const ENCLOSINGS = 12;
/** How far off what it holds a cage lies, as a share of its edges. */
const OFF = 0.25;
/** How far within each place has to be, as a share of the edges. */
const WITHIN = 0.08;
/** A point moves at most so many edges at once, and to get places within no farther off than so many. */
const MAX_STEP = 0.5;
const FARTHEST = 0.9;

/**
 * Draws a surface about a solid close and even, then moves it out until all places are within.
 * @returns Float32Array, 3 a point of the surface
 */
export function wrapCage(surface: QuadSurface, wrapping: Wrapping): Float32Array {
  const triangles = trianglesOfQuads(surface.quads);
  const positions = surface.positions.slice();
  const mean = meansOf(surface.quads, positions.length / 3);
  for (let i = 0; i < SMOOTHINGS; i++) {
    smooth(positions, mean);
    settleOff(positions, triangles, wrapping);
    if (i >= BEFORE_ENCLOSING) enclose(positions, triangles, wrapping);
    evenSides(positions, surface, wrapping.across);
  }
  for (let i = 0; i < ENCLOSINGS; i++) {
    const isAll = !enclose(positions, triangles, wrapping);
    evenSides(positions, surface, wrapping.across);
    if (isAll) break;
  }
  return positions;
}

/** By point, those that edges join it to. */
function meansOf(quads: Uint32Array, count: number): readonly (readonly number[])[] {
  const beside = Array.from({ length: count }, () => new Set<number>());
  quads.forEach((p, i) => beside[p].add(quads[(i & ~3) | ((i + 1) & 3)]));
  quads.forEach((p, i) => beside[quads[(i & ~3) | ((i + 1) & 3)]].add(p));
  return beside.map((each) => [...each]);
}

function smooth(positions: Float32Array, beside: readonly (readonly number[])[]): void {
  const before = positions.slice();
  beside.forEach((list, p) => {
    for (let k = 0; k < 3; k++) {
      let sum = 0;
      for (const n of list) sum += before[n * 3 + k];
      positions[p * 3 + k] = (before[p * 3 + k] + sum / list.length) / 2;
    }
  });
}

/** Each point goes to where it lies off the solid as far as it should: out by its own side, in by the way that is shortest. */
function settleOff(positions: Float32Array, triangles: Uint32Array, { field, edge }: Wrapping): void {
  const normals = computeNormals(positions, triangles);
  const way = new Float64Array(3);
  const wanted = Math.max(OFF * edge, field.cell);
  for (let i = 0; i < positions.length; i += 3) {
    const lack = wanted - field.at(positions[i], positions[i + 1], positions[i + 2]);
    if (lack < 0) field.outwards(positions[i], positions[i + 1], positions[i + 2], way);
    else way.set(normals.subarray(i, i + 3));
    const by = Math.max(-MAX_STEP * edge, Math.min(MAX_STEP * edge, lack < 0 ? lack / 2 : lack));
    for (let k = 0; k < 3; k++) positions[i + k] += by * way[k];
  }
}

/** Moves the surface out where places are not within. @returns whether any was not */
function enclose(
  positions: Float32Array,
  triangles: Uint32Array,
  { places, edge, field }: Wrapping,
): boolean {
  const normals = computeNormals(positions, triangles);
  const moves = new Float32Array(positions.length / 3);
  eachPlaceBeyond(positions, triangles, normals, places, WITHIN * edge, (triangle, shares, by) => {
    // The place on the triangle has to go so far: its corners go on by what they have of it.
    const sum = shares.reduce((all, share) => all + share * share, 0);
    shares.forEach((share, k) => {
      const p = triangles[triangle * 3 + k];
      moves[p] = Math.max(moves[p], Math.min(MAX_STEP * edge, (by * share) / sum));
    });
  });
  let isAny = false;
  moves.forEach((wanted, p) => {
    if (wanted <= 0) return;
    const [x, y, z] = positions.subarray(p * 3, p * 3 + 3);
    const by = Math.min(wanted, FARTHEST * edge - field.at(x, y, z));
    if (by <= 0) return;
    isAny = true;
    for (let k = 0; k < 3; k++) positions[p * 3 + k] += by * normals[p * 3 + k];
  });
  return isAny;
}

/** How many places are not within a closed surface. */
export function countOutside(positions: Float32Array, triangles: Uint32Array, places: Float32Array): number {
  let count = 0;
  eachPlaceBeyond(positions, triangles, computeNormals(positions, triangles), places, 0, () => count++);
  return count;
}

/** Places that are not within a surface by a distance, each with the nearest triangle and how far it lacks. */
function eachPlaceBeyond(
  positions: Float32Array,
  triangles: Uint32Array,
  normals: Float32Array,
  places: Float32Array,
  within: number,
  visit: (triangle: number, shares: readonly [number, number, number], by: number) => void,
): void {
  const tree = new TriangleTree(positions, triangles);
  const hit = createSurfaceHit();
  for (let i = 0; i < places.length; i += 3) {
    tree.nearest(places[i], places[i + 1], places[i + 2], Infinity, hit);
    if (hit.triangle < 0) continue;
    const shares = [hit.u, hit.v, hit.w] as const;
    let side = 0;
    for (let k = 0; k < 3; k++) {
      let [at, normal] = [0, 0];
      shares.forEach((share, c) => {
        const p = triangles[hit.triangle * 3 + c] * 3 + k;
        at += share * positions[p];
        normal += share * normals[p];
      });
      side += (places[i + k] - at) * normal;
    }
    const by = within + (side > 0 ? hit.distance : -hit.distance);
    if (by > 0) visit(hit.triangle, shares, by);
  }
}

/** Makes both sides the same: each point and its partner come to the middle of where they are. */
function evenSides(positions: Float32Array, { across }: QuadSurface, plane: Across | undefined): void {
  if (!across || !plane) return;
  across.forEach((q, p) => {
    if (q < p) return;
    for (let k = 0; k < 3; k++) {
      const [a, b] = [positions[p * 3 + k], positions[q * 3 + k]];
      if (k === plane.axis) {
        const off = p === q ? 0 : (a - b) / 2;
        positions[p * 3 + k] = plane.middle + off;
        positions[q * 3 + k] = plane.middle - off;
      } else positions[p * 3 + k] = positions[q * 3 + k] = (a + b) / 2;
    }
  });
}
