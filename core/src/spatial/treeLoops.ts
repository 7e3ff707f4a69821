import type { KernelMemory } from '../memory/kernelMemory.ts';
import { closestOnTriangle } from './closestOnTriangle.ts';

/** A tree of boxes around triangles; see {@link TriangleTree}. */
export interface TreeWork {
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
  /** Place in the tree → triangle. */
  readonly order: Uint32Array;
  /** Four numbers a place: three times the triangle's middle, and nothing. */
  readonly centres: Float32Array;
  /** Nine numbers a place: the triangle's corners. */
  readonly corners: Float32Array;
  /** By node: its lower half, the upper one being the next node; for a leaf, minus one less its first place. */
  readonly lower: Int32Array;
  /** By node: places of a leaf. */
  readonly counts: Uint8Array;
  /** Eight numbers a node: least along each axis and nothing, most and nothing. */
  readonly boxes: Float32Array;
}

/** What was found for many places at once. */
export interface NearestPlaces {
  /** Int32Array, by place: -1 for nothing. */
  readonly triangles: Int32Array;
  /** Float32Array, 3 a place: shares of the triangle's corners. */
  readonly shares: Float32Array;
  /** Float32Array, by place. */
  readonly distances: Float32Array;
}

/** What a search has found. */
export interface SurfaceHit {
  /** -1 for nothing. */
  triangle: number;
  /** Shares of the triangle's corners at the place, summing to one. */
  u: number;
  v: number;
  w: number;
  distance: number;
}

export const createSurfaceHit = (): SurfaceHit => ({ triangle: -1, u: 0, v: 0, w: 0, distance: Infinity });

const LEAF = 6;
/** A half has at least this share of its triangles, and two; where it would not, they are split at the median. */
const LEAST_HALF = 1 / 16;
/** Halvings that this allows of as many triangles as there can be; a search keeps one node for each. */
const MAX_DEPTH = 384;

/** Room for the tree of so many triangles. */
export function layTree(memory: KernelMemory, positions: Float32Array, triangles: Uint32Array): TreeWork {
  const count = triangles.length / 3;
  // No leaf has but one triangle, unless there is but one.
  const nodes = Math.max(1, count);
  return {
    positions: memory.f32(positions.length),
    triangles: memory.u32(triangles.length),
    order: memory.u32(count),
    centres: memory.f32(count * 4),
    corners: memory.f32(count * 9),
    lower: memory.i32(nodes),
    counts: memory.u8(nodes),
    boxes: memory.f32(nodes * 8),
  };
}

/** Makes the tree of the triangles that are laid out. */
export function growTree(work: TreeWork): void {
  const { positions, triangles, order, centres } = work;
  for (let i = 0; i < order.length; i++) {
    order[i] = i;
    for (let k = 0; k < 3; k++) {
      const [a, b, c] = [triangles[i * 3], triangles[i * 3 + 1], triangles[i * 3 + 2]];
      centres[i * 4 + k] = positions[a * 3 + k] + positions[b * 3 + k] + positions[c * 3 + k];
    }
  }
  if (order.length > 0) new Grower(work).grow(0, 0, order.length);
}

/** The box about places from one number to another, every so many: eight numbers from `at`, as of a node. */
function writeBox(
  places: Float32Array,
  from: number,
  to: number,
  step: number,
  out: Float32Array | Float64Array,
  at: number,
): void {
  let [lx, ly, lz, mx, my, mz] = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let i = from; i < to; i += step) {
    const x = places[i];
    const y = places[i + 1];
    const z = places[i + 2];
    if (x < lx) lx = x;
    if (y < ly) ly = y;
    if (z < lz) lz = z;
    if (mx < x) mx = x;
    if (my < y) my = y;
    if (mz < z) mz = z;
  }
  out[at] = lx;
  out[at + 1] = ly;
  out[at + 2] = lz;
  out[at + 4] = mx;
  out[at + 5] = my;
  out[at + 6] = mz;
}

/** Halves triangles again and again in place, so that what is halved next lies together. */
class Grower {
  readonly #work: TreeWork;
  /** The box about centres: room that is used again. */
  readonly #box = new Float64Array(8);
  #made = 1;

  constructor(work: TreeWork) {
    this.#work = work;
  }

  /** Makes a node and what is below it. */
  grow(node: number, from: number, to: number): void {
    const { lower, counts, boxes } = this.#work;
    if (to - from <= LEAF) {
      lower[node] = -1 - from;
      counts[node] = to - from;
      this.#layLeaf(node * 8, from, to);
      return;
    }
    const middle = this.#halve(from, to);
    const half = (lower[node] = this.#made);
    this.#made += 2;
    this.grow(half, from, middle);
    this.grow(half + 1, middle, to);
    const [at, a, b] = [node * 8, half * 8, half * 8 + 8];
    for (let k = 0; k < 3; k++) {
      boxes[at + k] = boxes[b + k] < boxes[a + k] ? boxes[b + k] : boxes[a + k];
      boxes[at + 4 + k] = boxes[a + 4 + k] < boxes[b + 4 + k] ? boxes[b + 4 + k] : boxes[a + 4 + k];
    }
  }

  /** Copies the corners of a leaf's triangles, and writes the box about them. */
  #layLeaf(at: number, from: number, to: number): void {
    const { positions, triangles, order, corners, boxes } = this.#work;
    for (let i = from, out = from * 9; i < to; i++)
      for (let corner = order[i] * 3, end = corner + 3; corner < end; corner++, out += 3) {
        const p = triangles[corner] * 3;
        corners[out] = positions[p];
        corners[out + 1] = positions[p + 1];
        corners[out + 2] = positions[p + 2];
      }
    writeBox(corners, from * 9, to * 9, 3, boxes, at);
  }

  /** Puts the lower side along the axis where centres lie farthest apart before the other. @returns where that begins */
  #halve(from: number, to: number): number {
    const box = this.#box;
    writeBox(this.#work.centres, from * 4, to * 4, 4, box, 0);
    const [x, y, z] = [box[4] - box[0], box[5] - box[1], box[6] - box[2]];
    const axis = x >= y && x >= z ? 0 : y >= z ? 1 : 2;
    const split = this.#part(from, to, axis, box[axis] + (box[axis + 4] - box[axis]) / 2);
    const least = Math.max(2, Math.floor((to - from) * LEAST_HALF));
    if (split - from >= least && to - split >= least) return split;
    const median = (from + to) >> 1;
    this.#select(axis, from, to - 1, median);
    return median;
  }

  #part(from: number, to: number, axis: number, middle: number): number {
    const { centres } = this.#work;
    let i = from;
    let j = to - 1;
    for (;;) {
      while (i <= j && centres[i * 4 + axis] < middle) i++;
      while (i <= j && !(centres[j * 4 + axis] < middle)) j--;
      if (i >= j) return i;
      this.#swap(i++, j--);
    }
  }

  /** Brings the item of rank `wanted` along an axis to its place, smaller ones before it (Hoare 1961). */
  #select(axis: number, from: number, to: number, wanted: number): void {
    const { centres } = this.#work;
    let left = from;
    let right = to;
    while (left < right) {
      const pivot = centres[((left + right) >> 1) * 4 + axis];
      let i = left;
      let j = right;
      while (i <= j) {
        while (centres[i * 4 + axis] < pivot) i++;
        while (centres[j * 4 + axis] > pivot) j--;
        if (i <= j) this.#swap(i++, j--);
      }
      if (wanted <= j) right = j;
      else if (wanted >= i) left = i;
      else return;
    }
  }

  #swap(i: number, j: number): void {
    const { order, centres } = this.#work;
    const held = order[i];
    order[i] = order[j];
    order[j] = held;
    for (let a = i * 4, b = j * 4, end = a + 3; a < end; a++, b++) {
      const centre = centres[a];
      centres[a] = centres[b];
      centres[b] = centre;
    }
  }
}

const stack = new Int32Array(MAX_DEPTH);
const bounds = new Float64Array(MAX_DEPTH);

/** See {@link TriangleTree.nearest}. */
export function nearestInTree(
  { order, lower: halves, counts, boxes, corners }: TreeWork,
  x: number,
  y: number,
  z: number,
  most: number,
  hit: SurfaceHit,
  fits?: (hit: SurfaceHit) => boolean,
): void {
  hit.triangle = -1;
  hit.distance = most;
  if (order.length === 0) return;
  let least = most * most;
  let top = 0;
  stack[top] = 0;
  bounds[top++] = boxDistance(boxes, 0, x, y, z);
  while (top > 0) {
    const node = stack[--top];
    if (bounds[top] >= least) continue;
    const lower = halves[node];
    if (lower < 0) {
      for (let i = -1 - lower, end = i + counts[node]; i < end; i++) {
        const far = closestOnTriangle(corners, i * 9, x, y, z, shares);
        if (!(far < least) || (fits && !doesFit(order[i], far, fits))) continue;
        least = far;
        writeHit(hit, order[i], far);
      }
      continue;
    }
    const low = boxDistance(boxes, lower * 8, x, y, z);
    const high = boxDistance(boxes, lower * 8 + 8, x, y, z);
    const isLowNear = low <= high;
    // The nearer half comes off the stack first.
    if ((isLowNear ? high : low) < least) {
      stack[top] = isLowNear ? lower + 1 : lower;
      bounds[top++] = isLowNear ? high : low;
    }
    if ((isLowNear ? low : high) < least) {
      stack[top] = isLowNear ? lower : lower + 1;
      bounds[top++] = isLowNear ? low : high;
    }
  }
}

function writeHit(hit: SurfaceHit, triangle: number, squared: number): void {
  hit.triangle = triangle;
  hit.u = shares[0];
  hit.v = shares[1];
  hit.w = shares[2];
  hit.distance = Math.sqrt(squared);
}

function doesFit(triangle: number, squared: number, fits: (hit: SurfaceHit) => boolean): boolean {
  writeHit(candidate, triangle, squared);
  return fits(candidate);
}

/** The next place is no farther than this one and the way there, but for rounding. */
const ROUNDING = 1 + 1e-6;

/** The nearest of each place. Quick where places that follow one another lie near one another. */
export function nearestOfPlaces(work: TreeWork, places: Float32Array, out: NearestPlaces): void {
  const hit = createSurfaceHit();
  for (let p = 0, at = 0; at < places.length; p++, at += 3) {
    const [x, y, z] = [places[at], places[at + 1], places[at + 2]];
    let most = Infinity;
    if (hit.triangle >= 0) {
      const [dx, dy, dz] = [x - places[at - 3], y - places[at - 2], z - places[at - 1]];
      most = (hit.distance + Math.sqrt(dx * dx + dy * dy + dz * dz)) * ROUNDING;
    }
    nearestInTree(work, x, y, z, most, hit);
    if (hit.triangle < 0 && most < Infinity) nearestInTree(work, x, y, z, Infinity, hit);
    out.triangles[p] = hit.triangle;
    out.shares[at] = hit.u;
    out.shares[at + 1] = hit.v;
    out.shares[at + 2] = hit.w;
    out.distances[p] = hit.distance;
  }
}

const shares = new Float64Array(3);
const candidate = createSurfaceHit();

function boxDistance(boxes: Float32Array, at: number, x: number, y: number, z: number): number {
  const dx = x < boxes[at] ? boxes[at] - x : x > boxes[at + 4] ? x - boxes[at + 4] : 0;
  const dy = y < boxes[at + 1] ? boxes[at + 1] - y : y > boxes[at + 5] ? y - boxes[at + 5] : 0;
  const dz = z < boxes[at + 2] ? boxes[at + 2] - z : z > boxes[at + 6] ? z - boxes[at + 6] : 0;
  return dx * dx + dy * dy + dz * dz;
}
