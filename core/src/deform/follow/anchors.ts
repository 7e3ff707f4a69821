import type { Neighbours } from '../../mesh/neighbours.ts';
import { PointGrid, type PointsAround } from '../../spatial/pointGrid.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';
import { ANCHORS_A_PLACE, AnchorRow } from './AnchorRow.ts';
import { type StandOff, standOff } from './standOff.ts';

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
export async function anchorTo(
  surface: DriverSurface,
  places: Float32Array,
  watch: (share: number) => void = () => undefined,
): Promise<Anchors | undefined> {
  if (surface.triangles.length === 0) return undefined;
  return new AnchorSearch(surface, places, await standOff(surface, places)).find(watch);
}

class AnchorSearch {
  readonly #surface: DriverSurface;
  readonly #places: Float32Array;
  readonly #off: StandOff;
  readonly #edge: number;
  readonly #used: Uint32Array;
  readonly #row: AnchorRow;
  /** Points about a place, and what each has: room that is used again. */
  readonly #around: PointsAround;
  readonly #values: Float64Array;
  /** By level: points of the surface about so many edges apart. */
  readonly #levels: PointGrid[] = [];
  /** By point of the surface: the one that stands for it. */
  #standing: Uint32Array | undefined;

  constructor(surface: DriverSurface, places: Float32Array, off: StandOff) {
    this.#surface = surface;
    this.#places = places;
    this.#off = off;
    this.#edge = meanEdge(surface);
    const count = surface.positions.length / 3;
    this.#row = new AnchorRow(count);
    this.#around = { points: new Uint32Array(count), squares: new Float64Array(count), count: 0 };
    this.#values = new Float64Array(count);
    this.#used = usedPoints(surface);
  }

  find(watch: (share: number) => void): Anchors {
    const { heights } = this.#off;
    const numbers = new Map<number, number>();
    const rows = createRows(heights.length, ANCHORS_A_PLACE);
    for (let p = 0; p < heights.length; p++) {
      if (p % 1024 === 0) watch(p / heights.length);
      this.#look(p);
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
      return this.find(watch);
    }
    return { kind: 'surface', points, beside: besideOf(this.#surface, points, numbers), rows, heights };
  }

  /** Fills the row for a place. */
  #look(place: number): void {
    this.#row.clear();
    const distance = this.#off.nearest.distances[place];
    const far = smooth(distance / (NEAR_EDGES * this.#edge) - 1);
    if (far < 1) this.#addTriangle(place, 1 - far, 1e-4);
    if (far > 0) this.#addAround(place, distance, far);
  }

  #add(point: number, share: number): void {
    this.#row.add(this.#standing ? this.#standing[point] : point, share);
  }

  /** Holds on to all that is about as near as the nearest, at two densities, so that one goes over into the other. */
  #addAround(place: number, distance: number, share: number): void {
    const level = Math.max(0, Math.log2(distance / this.#edge));
    const low = Math.floor(level);
    const high = smooth(level - low);
    this.#addLevel(place, distance, low, share * (1 - high));
    this.#addLevel(place, distance, low + 1, share * high);
  }

  #addLevel(place: number, distance: number, level: number, share: number): void {
    if (share === 0) return;
    const [around, values] = [this.#around, this.#values];
    const [x, y, z] = [this.#places[place * 3], this.#places[place * 3 + 1], this.#places[place * 3 + 2]];
    this.#level(level).within(x, y, z, distance * Math.sqrt(1 + REACH), around);
    const width = REACH * distance * distance;
    let sum = 0;
    for (let i = 0; i < around.count; i++) {
      // A corner may be a little nearer than rounding has it.
      const open = Math.max(0, Math.min(1, 1 - (around.squares[i] - distance * distance) / width));
      values[i] = open * open;
      sum += values[i];
    }
    // Of a surface that is coarse for so small a distance there may be no point: its triangle is there.
    if (sum === 0) this.#addTriangle(place, share, 0);
    else
      for (let i = 0; i < around.count; i++)
        if (values[i] > 0) this.#add(around.points[i], (share * values[i]) / sum);
  }

  /** Holds on to the corners of the nearest triangle that have more than so much of the place. */
  #addTriangle(place: number, share: number, least: number): void {
    const { triangles, shares } = this.#off.nearest;
    for (let k = 0; k < 3; k++) {
      const own = shares[place * 3 + k];
      if (own > least) this.#add(this.#surface.triangles[triangles[place] * 3 + k], share * own);
    }
  }

  /** Points for places at up to 2^(level + 1) edges: a third of that apart or less. */
  #level(level: number): PointGrid {
    const apart = this.#edge * 2 ** level;
    return (this.#levels[level] ??= new PointGrid(
      this.#surface.positions,
      Uint32Array.from(firstOfCells(this.#surface, this.#used, apart / 2).values()),
      2 * apart,
    ));
  }
}

const smooth = (x: number): number => (x <= 0 ? 0 : x >= 1 ? 1 : x * x * (3 - 2 * x));

function meanEdge({ positions, triangles }: DriverSurface): number {
  let sum = 0;
  for (let i = 0; i < triangles.length; i++) {
    const a = triangles[i] * 3;
    const b = triangles[i % 3 === 2 ? i - 2 : i + 1] * 3;
    const x = positions[a] - positions[b];
    const y = positions[a + 1] - positions[b + 1];
    const z = positions[a + 2] - positions[b + 2];
    sum += Math.sqrt(x * x + y * y + z * z);
  }
  return Math.max(sum / triangles.length, 1e-30);
}

/** Points that triangles use, rising. */
export function usedPoints({
  positions,
  triangles,
}: Pick<DriverSurface, 'positions' | 'triangles'>): Uint32Array {
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
): ReadonlyMap<number, number> {
  const first = new Map<number, number>();
  for (const p of used) {
    const key = cellOf(positions, p, size);
    if (!first.has(key)) first.set(key, p);
  }
  return first;
}

/** Cells along an axis: more than there are within a body that is seen from near. */
const CELLS = 2 ** 17;

/** A number for a place's cell, which one very far away may share. */
function cellOf(positions: Float32Array, p: number, size: number): number {
  const x = Math.floor(positions[p * 3] / size) & (CELLS - 1);
  const y = Math.floor(positions[p * 3 + 1] / size) & (CELLS - 1);
  const z = Math.floor(positions[p * 3 + 2] / size) & (CELLS - 1);
  return (x * CELLS + y) * CELLS + z;
}

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
