import type { Neighbours } from '../../mesh/neighbours.ts';
import { PointCells } from '../../spatial/pointCells.ts';
import { createSurfaceHit, type SurfaceHit, TriangleTree } from '../../spatial/triangleTree.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';
import { ANCHORS_A_PLACE, AnchorRow } from './AnchorRow.ts';

/** A surface that others follow, as the joints bind it, in the scene. */
export interface DriverSurface {
  /** Float32Array, 3 a point. */
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly triangles: Uint32Array;
  readonly neighbours: Neighbours;
}

/** What places hold on to: points of a surface, each by so much. */
export interface Anchors {
  readonly kind: 'surface';
  /** By anchor: the driver's point, and the neighbour that tells how the surface there is turned; itself for none. */
  readonly points: Uint32Array;
  readonly beside: Uint32Array;
  /** By place: the numbers of its anchors, as joints, summing to one. */
  readonly rows: WeightRows;
  /** Float32Array, by place: how far it stands off the surface, below zero under it; scene units. */
  readonly heights: Float32Array;
}

/** Anchors are numbered as joints are. */
const MAX_ANCHORS = 65_535;
/** Places closer than so many edges hold on to the nearest triangle; from twice as far on to all that is about as near. */
const NEAR_EDGES = 1;
/** What is less far than the nearest by this share, squared, has a say. */
const REACH = 0.75;

/**
 * What places near a surface hold on to, so that they keep their distance from it and their turn against it in any pose. Close
 * by it is the nearest triangle; farther off all of the surface that is about as near, so that what hangs between two limbs
 * follows both and does not tear where the nearer one changes.
 *
 * @param places Float32Array, 3 a place, in the surface's space
 * @param watch  told how far it is, 0 to 1; may throw to end it
 * @returns undefined where the surface has no triangles
 */
export function anchorTo(
  surface: DriverSurface,
  places: Float32Array,
  watch: (share: number) => void = () => undefined,
): Anchors | undefined {
  if (surface.triangles.length === 0) return undefined;
  return new AnchorSearch(surface).find(places, watch);
}

class AnchorSearch {
  readonly #surface: DriverSurface;
  readonly #tree: TriangleTree;
  readonly #edge: number;
  readonly #used: Uint32Array;
  readonly #hit: SurfaceHit = createSurfaceHit();
  readonly #row: AnchorRow;
  /** Points about a place, and what each has: room that is used again. */
  readonly #around: { readonly points: Uint32Array; readonly values: Float64Array };
  /** By level: points of the surface about so many edges apart. */
  readonly #levels: PointCells[] = [];
  /** By point of the surface: the one that stands for it. */
  #standing: Uint32Array | undefined;

  constructor(surface: DriverSurface) {
    this.#surface = surface;
    this.#tree = new TriangleTree(surface.positions, surface.triangles);
    this.#edge = meanEdge(surface);
    const count = surface.positions.length / 3;
    this.#row = new AnchorRow(count);
    this.#around = { points: new Uint32Array(count), values: new Float64Array(count) };
    this.#used = usedPoints(surface);
  }

  find(places: Float32Array, watch: (share: number) => void): Anchors {
    const count = places.length / 3;
    const numbers = new Map<number, number>();
    const rows = createRows(count, ANCHORS_A_PLACE);
    const heights = new Float32Array(count);
    for (let p = 0; p < count; p++) {
      if (p % 1024 === 0) watch(p / count);
      heights[p] = this.#look(places[p * 3], places[p * 3 + 1], places[p * 3 + 2]);
      this.#row.finish();
      for (let i = 0; i < this.#row.count; i++) {
        const point = this.#row.points[i];
        let number = numbers.get(point);
        if (number === undefined) numbers.set(point, (number = numbers.size));
        rows.joints[p * ANCHORS_A_PLACE + i] = number;
        rows.values[p * ANCHORS_A_PLACE + i] = this.#row.of(point);
      }
    }
    const points = Uint32Array.from(numbers.keys());
    if (points.length > MAX_ANCHORS) {
      // Once more, with fewer to hold on to.
      this.#standing = standIns(this.#surface, this.#used, MAX_ANCHORS);
      return this.find(places, watch);
    }
    return { kind: 'surface', points, beside: besideOf(this.#surface, points, numbers), rows, heights };
  }

  /** Fills the row for a place. @returns how far it stands off the surface */
  #look(x: number, y: number, z: number): number {
    const hit = this.#hit;
    this.#tree.nearest(x, y, z, Infinity, hit);
    this.#row.clear();
    const far = smooth(hit.distance / (NEAR_EDGES * this.#edge) - 1);
    if (far < 1) {
      const { triangles } = this.#surface;
      [hit.u, hit.v, hit.w].forEach((share, k) => {
        if (share > 1e-4) this.#add(triangles[hit.triangle * 3 + k], (1 - far) * share);
      });
    }
    if (far > 0) this.#addAround(x, y, z, hit.distance, far);
    return hit.distance * this.#sideOf(x, y, z);
  }

  #add(point: number, share: number): void {
    this.#row.add(this.#standing ? this.#standing[point] : point, share);
  }

  /** Holds on to all that is about as near as the nearest, at two densities, so that one goes over into the other. */
  #addAround(x: number, y: number, z: number, distance: number, share: number): void {
    const level = Math.max(0, Math.log2(distance / this.#edge));
    const low = Math.floor(level);
    const high = smooth(level - low);
    const width = REACH * distance * distance;
    for (const [at, part] of [
      [low, 1 - high],
      [low + 1, high],
    ]) {
      if (part === 0) continue;
      let [sum, count] = [0, 0];
      const { points, values } = this.#around;
      this.#level(at).eachWithin(x, y, z, (point, squared) => {
        // A corner may be a little nearer than rounding has it.
        const open = Math.min(1, 1 - (squared - distance * distance) / width);
        if (open <= 0) return;
        points[count] = point;
        values[count++] = open * open;
        sum += open * open;
      });
      // Of a surface that is coarse for so small a distance there may be no point: its triangle is there.
      if (sum === 0) this.#addTriangle(share * part);
      else for (let i = 0; i < count; i++) this.#add(points[i], (share * part * values[i]) / sum);
    }
  }

  #addTriangle(share: number): void {
    const { triangle, u, v, w } = this.#hit;
    [u, v, w].forEach((own, k) => {
      this.#add(this.#surface.triangles[triangle * 3 + k], share * own);
    });
  }

  /** Points for places at up to 2^(level + 1) edges: a third of that apart or less. */
  #level(level: number): PointCells {
    const reach = this.#edge * 2 ** (level + 1) * Math.sqrt(1 + REACH);
    return (this.#levels[level] ??= new PointCells(
      this.#surface.positions,
      firstOfCells(this.#surface, this.#used, (this.#edge * 2 ** level) / 2).values(),
      reach,
    ));
  }

  /** 1 above the surface, −1 beneath it: by the normal at the nearest place. */
  #sideOf(x: number, y: number, z: number): number {
    const { triangle, u, v, w } = this.#hit;
    const { positions, normals, triangles } = this.#surface;
    let over = 0;
    const corners = [triangles[triangle * 3], triangles[triangle * 3 + 1], triangles[triangle * 3 + 2]];
    [x, y, z].forEach((at, k) => {
      const [near, normal] = [positions, normals].map(
        (of) => u * of[corners[0] * 3 + k] + v * of[corners[1] * 3 + k] + w * of[corners[2] * 3 + k],
      );
      over += (at - near) * normal;
    });
    return over < 0 ? -1 : 1;
  }
}

const smooth = (x: number): number => (x <= 0 ? 0 : x >= 1 ? 1 : x * x * (3 - 2 * x));

function meanEdge({ positions, triangles }: DriverSurface): number {
  let sum = 0;
  for (let i = 0; i < triangles.length; i++) {
    const [a, b] = [triangles[i] * 3, triangles[i % 3 === 2 ? i - 2 : i + 1] * 3];
    const [x, y, z] = [
      positions[a] - positions[b],
      positions[a + 1] - positions[b + 1],
      positions[a + 2] - positions[b + 2],
    ];
    sum += Math.sqrt(x * x + y * y + z * z);
  }
  return Math.max(sum / triangles.length, 1e-30);
}

/** Points that triangles use, rising. */
function usedPoints({ positions, triangles }: DriverSurface): Uint32Array {
  const used = new Uint8Array(positions.length / 3);
  for (const p of triangles) used[p] = 1;
  const points = new Uint32Array(used.length);
  let count = 0;
  for (let p = 0; p < used.length; p++) if (used[p] === 1) points[count++] = p;
  return points.subarray(0, count);
}

/** Of each cell of a size the first point: what they lie apart at most is about twice the size. */
function firstOfCells(
  { positions }: DriverSurface,
  used: Uint32Array,
  size: number,
): ReadonlyMap<string, number> {
  const first = new Map<string, number>();
  for (const p of used) {
    const key = cellOf(positions, p, size);
    if (!first.has(key)) first.set(key, p);
  }
  return first;
}

const cellOf = (positions: Float32Array, p: number, size: number): string =>
  `${Math.floor(positions[p * 3] / size)} ${Math.floor(positions[p * 3 + 1] / size)} ${Math.floor(positions[p * 3 + 2] / size)}`;

/** By point, one of at most so many that stand for all. */
function standIns(surface: DriverSurface, used: Uint32Array, most: number): Uint32Array {
  const standing = Uint32Array.from({ length: surface.positions.length / 3 }, (_, p) => p);
  let size = meanEdge(surface);
  let first = firstOfCells(surface, used, size);
  while (first.size > most) first = firstOfCells(surface, used, (size *= 1.25));
  for (const p of used) standing[p] = first.get(cellOf(surface.positions, p, size)) ?? p;
  return standing;
}

/** The neighbour that lies widest across the normal; one that is an anchor itself where it does nearly as well. */
function besideOf(
  { positions, normals, neighbours: { offsets, points: beside } }: DriverSurface,
  anchors: Uint32Array,
  numbers: ReadonlyMap<number, number>,
): Uint32Array {
  const across = [0, 0, 0];
  return anchors.map((p) => {
    let [best, widest] = [p, 0];
    for (let n = offsets[p]; n < offsets[p + 1]; n++) {
      const q = beside[n];
      let over = 0;
      for (let k = 0; k < 3; k++) {
        across[k] = positions[q * 3 + k] - positions[p * 3 + k];
        over += across[k] * normals[p * 3 + k];
      }
      for (let k = 0; k < 3; k++) across[k] -= over * normals[p * 3 + k];
      const wide = Math.hypot(...across) * (numbers.has(q) ? 1.5 : 1);
      if (wide > widest) [best, widest] = [q, wide];
    }
    return best;
  });
}
