import type { KernelMemory } from '../memory/kernelMemory.ts';
import { closestOnTriangle } from './closestOnTriangle.ts';

/** A tree of boxes around triangles; see {@link TriangleTree}. */
export interface TreeWork {
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
  /** Four numbers a triangle: three times its middle, and nothing. */
  readonly centres: Float32Array;
  /** 36 numbers a leaf: x, y, z of its triangles' first corners, four by four, of their second, of their third. */
  readonly corners: Float32Array;
  /** Four numbers a node: the node of a quarter of its triangles, minus one less the leaf, 0 for none. */
  readonly quarters: Int32Array;
  /** 24 numbers a node: of its quarters the least x, y, z, then the most, four by four. */
  readonly boxes: Float32Array;
  /** Place in the tree → triangle; a leaf has four places, the last may have fewer. */
  readonly order: Uint32Array;
  /** Place → cell of the grid that the triangle was sorted in last. */
  readonly cells: Uint32Array;
  /** Room for sorting. */
  readonly spareOrder: Uint32Array;
  readonly spareCells: Uint32Array;
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

const LEAF = 4;
/** Cells along an axis are two to the power of this. */
const CELL_BITS = 10;
const DIGITS = 1 << CELL_BITS;
/** So many are sorted one by one. */
const FEW = 64;
/**
 * What a search keeps: three quarters of each node above. A cell is halved until it is empty or a number's last bit: at most
 * 277 times along an axis, perhaps twice so that leaves are full; what lies in one place is halved by count.
 */
const MAX_WAITING = 2600;

/** Room for the tree of so many triangles. */
export function layTree(memory: KernelMemory, positions: Float32Array, triangles: Uint32Array): TreeWork {
  const count = triangles.length / 3;
  const leaves = Math.ceil(count / LEAF);
  // A node has two leaves or more, or three quarters.
  const nodes = Math.max(1, Math.ceil((leaves * 2) / 3));
  return {
    positions: memory.f32(positions.length),
    triangles: memory.u32(triangles.length),
    centres: memory.f32(count * 4),
    corners: memory.f32(leaves * 9 * LEAF),
    quarters: memory.i32(nodes * 4),
    boxes: memory.f32(nodes * 24),
    order: memory.u32(count),
    cells: memory.u32(count),
    spareOrder: memory.u32(count),
    spareCells: memory.u32(count),
  };
}

/** Makes the tree of the triangles that are laid out. */
export function growTree(work: TreeWork): void {
  const { positions, triangles, centres, order } = work;
  for (let i = 0; i < order.length; i++) {
    order[i] = i;
    for (let k = 0; k < 3; k++) {
      const [a, b, c] = [triangles[i * 3], triangles[i * 3 + 1], triangles[i * 3 + 2]];
      centres[i * 4 + k] = Math.fround(positions[a * 3 + k] + positions[b * 3 + k]) + positions[c * 3 + k];
    }
  }
  if (order.length === 0) return;
  sortByCell(work, 0, order.length);
  new Grower(work).grow(0, order.length);
}

/** Sorts triangles by the cubes of a grid about them, those of each eighth of each cube of cubes together (Morton 1966). */
function sortByCell(work: TreeWork, from: number, to: number): void {
  const { order, cells, spareOrder, spareCells } = work;
  const cellOf = gridAbout(work, from, to);
  if (to - from <= FEW) {
    for (let p = from; p < to; p++) insert(work, from, p, order[p], cellOf(order[p]));
    return;
  }
  const tallies = [0, 1, 2].map(() => new Uint32Array(DIGITS));
  for (let p = from; p < to; p++) {
    const cell = cellOf(order[p]);
    spareOrder[p] = order[p];
    spareCells[p] = cell;
    tallies.forEach((own, digit) => own[digitOf(cell, digit)]++);
  }
  const [sorted, spare] = [
    { order, cells },
    { order: spareOrder, cells: spareCells },
  ];
  tallies.forEach((own, digit) => {
    const [source, target] = digit === 1 ? [sorted, spare] : [spare, sorted];
    for (let d = 0, start = from; d < DIGITS; d++) {
      const many = own[d];
      own[d] = start;
      start += many;
    }
    for (let p = from; p < to; p++) {
      const place = own[digitOf(source.cells[p], digit)]++;
      target.cells[place] = source.cells[p];
      target.order[place] = source.order[p];
    }
  });
}

const digitOf = (cell: number, digit: number) => (cell >> (digit * CELL_BITS)) & (DIGITS - 1);

/** Puts a triangle that comes after others in its place among them. */
function insert({ order, cells }: TreeWork, from: number, at: number, triangle: number, cell: number): void {
  let p = at;
  for (; p > from && cells[p - 1] > cell; p--) {
    cells[p] = cells[p - 1];
    order[p] = order[p - 1];
  }
  cells[p] = cell;
  order[p] = triangle;
}

/** A grid about the middles of some triangles. @returns says which of its cells a triangle lies in */
function gridAbout({ centres, order }: TreeWork, from: number, to: number): (triangle: number) => number {
  const [lows, highs] = [Infinity, -Infinity].map((none) => [none, none, none]);
  for (let p = from; p < to; p++)
    for (let k = 0; k < 3; k++) {
      const centre = centres[order[p] * 4 + k];
      if (centre < lows[k]) lows[k] = centre;
      if (highs[k] < centre) highs[k] = centre;
    }
  const scale = Math.fround(DIGITS / Math.max(...lows.map((low, k) => Math.fround(highs[k] - low))));
  return (triangle) => {
    let cell = 0;
    for (let k = 0; k < 3; k++) {
      const steps = Math.fround(Math.fround(centres[triangle * 4 + k] - lows[k]) * scale);
      cell |= spread(Math.min(DIGITS - 1, Math.trunc(steps) || 0)) << k;
    }
    return cell;
  };
}

/** Two places between each bit and the next. */
function spread(step: number): number {
  let bits = (step | (step << 16)) & 0x030000ff;
  bits = (bits | (bits << 8)) & 0x0300f00f;
  bits = (bits | (bits << 4)) & 0x030c30c3;
  return (bits | (bits << 2)) & 0x09249249;
}

/** Halves triangles that are sorted by cell again and again: what is halved next lies together. */
class Grower {
  readonly #work: TreeWork;
  #made = 0;

  constructor(work: TreeWork) {
    this.#work = work;
  }

  /** Makes a node, and what is below it. @returns its number */
  grow(from: number, to: number): number {
    const node = this.#made++;
    const middle = to - from > LEAF ? this.#halve(from, to) : to;
    const first = middle - from > LEAF ? this.#halve(from, middle) : middle;
    const last = to - middle > LEAF ? this.#halve(middle, to) : to;
    this.#layQuarter(node, 0, from, first);
    this.#layQuarter(node, 1, first, middle);
    this.#layQuarter(node, 2, middle, last);
    this.#layQuarter(node, 3, last, to);
    return node;
  }

  #layQuarter(node: number, q: number, from: number, to: number): void {
    const { quarters, boxes, corners } = this.#work;
    if (to - from > LEAF) {
      const below = this.grow(from, to);
      quarters[node * 4 + q] = below;
      for (let k = 0; k < 6; k++) {
        const at = (below * 6 + k) * 4;
        boxes[(node * 6 + k) * 4 + q] = extremeOf(boxes, at, at + 4, k > 2);
      }
      return;
    }
    quarters[node * 4 + q] = to > from ? -1 - from / LEAF : 0;
    if (to > from) this.#layLeaf(from, to);
    for (let k = 0; k < 6; k++) {
      const box = (node * 6 + k) * 4 + q;
      boxes[box] = k > 2 ? -Infinity : Infinity;
      for (let place = from; place < to; place++)
        for (let c = k % 3; c < 9; c += 3) {
          const x = corners[cornersAt(place) + c * 4];
          if (k > 2 ? boxes[box] < x : x < boxes[box]) boxes[box] = x;
        }
    }
  }

  /** Copies the corners of a leaf's triangles. */
  #layLeaf(from: number, to: number): void {
    const { positions, triangles, order, corners } = this.#work;
    for (let place = from; place < from + LEAF; place++)
      for (let c = 0, at = cornersAt(place); c < 9; c++, at += 4)
        corners[at] =
          place < to ? positions[triangles[order[place] * 3 + Math.floor(c / 3)] * 3 + (c % 3)] : NaN;
  }

  /** Where the upper half of the cells begins, so that leaves are full. Where all lie in one cell, that is divided first. */
  #halve(from: number, to: number): number {
    const { cells } = this.#work;
    if (cells[from] === cells[to - 1]) sortByCell(this.#work, from, to);
    const [first, last] = [cells[from], cells[to - 1]];
    let over = (from + to) >> 1;
    if (first !== last) {
      const bit = 31 - Math.clz32(first ^ last);
      const upper = (last >> bit) << bit;
      let under = from;
      over = to - 1;
      while (over - under > 1) {
        const middle = (under + over) >> 1;
        if (cells[middle] < upper) under = middle;
        else over = middle;
      }
    }
    const leaves = Math.min(Math.floor((over - from + LEAF / 2) / LEAF), Math.floor((to - from - 1) / LEAF));
    return from + Math.max(1, leaves) * LEAF;
  }
}

/** Of a place, where its first number is; one every four. */
const cornersAt = (place: number) => (place >> 2) * 36 + (place & 3);

/** The least or the most of some numbers; endless for none. */
function extremeOf(of: Float32Array, from: number, to: number, isMost: boolean): number {
  let extreme = isMost ? -Infinity : Infinity;
  for (let i = from; i < to; i++) if (isMost ? extreme < of[i] : of[i] < extreme) extreme = of[i];
  return extreme;
}

const stack = new Int32Array(MAX_WAITING);
const bounds = new Float64Array(MAX_WAITING);

/** See {@link TriangleTree.nearest}. */
export function nearestInTree(
  { order, quarters, boxes, corners }: TreeWork,
  x: number,
  y: number,
  z: number,
  most: number,
  hit: SurfaceHit,
  fits?: (hit: SurfaceHit) => boolean,
): void {
  hit.triangle = -1;
  hit.distance = most;
  // A place that is no number is near nothing, and is not looked for everywhere.
  if (order.length === 0 || !(Math.abs(x) + Math.abs(y) + Math.abs(z) < Infinity)) return;
  let least = most * most;
  let top = 0;
  for (let node = 0; ; node = stack[top]) {
    if (node < 0) {
      const leaf = -1 - node;
      for (let place = leaf * LEAF; place < Math.min(order.length, (leaf + 1) * LEAF); place++) {
        const far = closestOnTriangle(corners, cornersAt(place), 4, x, y, z, shares);
        if (!(far < least) || (fits && !doesFit(order[place], far, fits))) continue;
        least = far;
        writeHit(hit, order[place], far);
      }
    } else {
      const base = top;
      for (let q = 0; q < 4; q++) {
        const far = boxDistance(boxes, node * 24 + q, x, y, z);
        if (far < least) wait(base, top++, quarters[node * 4 + q], far);
      }
    }
    do if (top-- === 0) return;
    while (bounds[top] >= least);
  }
}

/** Puts a quarter among those that wait, from `base` the nearest last. */
function wait(base: number, top: number, quarter: number, far: number): void {
  let i = top;
  for (; i > base && bounds[i - 1] < far; i--) {
    bounds[i] = bounds[i - 1];
    stack[i] = stack[i - 1];
  }
  bounds[i] = far;
  stack[i] = quarter;
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

/** Squared; of the quarter whose numbers begin at `at`. */
function boxDistance(boxes: Float32Array, at: number, x: number, y: number, z: number): number {
  const dx = Math.max(0, boxes[at] - x, x - boxes[at + 12]);
  const dy = Math.max(0, boxes[at + 4] - y, y - boxes[at + 16]);
  const dz = Math.max(0, boxes[at + 8] - z, z - boxes[at + 20]);
  return dx * dx + dy * dy + dz * dz;
}
