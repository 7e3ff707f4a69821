import { standOff } from '../../deform/follow/standOff.ts';
import { computeNormals } from '../../mesh/normals.ts';
import { trianglesOfQuads } from '../../mesh/quads.ts';
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
export async function wrapCage(surface: QuadSurface, wrapping: Wrapping): Promise<Float32Array> {
  const triangles = trianglesOfQuads(surface.quads);
  const positions = surface.positions.slice();
  const mean = meansOf(surface.quads, positions.length / 3);
  for (let i = 0; i < SMOOTHINGS; i++) {
    smooth(positions, mean);
    settleOff(positions, triangles, wrapping);
    if (i >= BEFORE_ENCLOSING) await enclose(positions, triangles, wrapping);
    evenSides(positions, surface, wrapping.across);
  }
  for (let i = 0; i < ENCLOSINGS; i++) {
    const isAll = !(await enclose(positions, triangles, wrapping));
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
async function enclose(
  positions: Float32Array,
  triangles: Uint32Array,
  { places, edge, field }: Wrapping,
): Promise<boolean> {
  const normals = computeNormals(positions, triangles);
  const moves = new Float32Array(positions.length / 3);
  const { heights, nearest } = await standOff({ positions, normals, triangles }, places);
  heights.forEach((height, i) => {
    const by = WITHIN * edge + height;
    if (by <= 0) return;
    const [corner, shares] = [nearest.triangles[i] * 3, nearest.shares.subarray(i * 3, i * 3 + 3)];
    // The place on the triangle has to go so far: its corners go on by what they have of it.
    const sum = shares.reduce((all, share) => all + share * share, 0);
    shares.forEach((share, k) => {
      const p = triangles[corner + k];
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
export async function countOutside(
  positions: Float32Array,
  triangles: Uint32Array,
  places: Float32Array,
): Promise<number> {
  const normals = computeNormals(positions, triangles);
  const { heights } = await standOff({ positions, normals, triangles }, places);
  return heights.reduce((count, height) => count + (height > 0 ? 1 : 0), 0);
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
