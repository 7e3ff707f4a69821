/** What a search has found: written by {@link TriangleTree.nearest}. */
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
/** Halvings of as many triangles as there can be; a search keeps one node for each. */
const MAX_DEPTH = 64;

/**
 * The nearest place on many triangles: boxes around halves of them, split at the median along the longest axis of their
 * centres. Node i's lower half is node i + 1. Positions and triangles are kept and not written; a tree of moved points has to
 * be made anew. (A curve that fills space makes the tree in a third of the time, and searches take four times as long.)
 */
export class TriangleTree {
  readonly #positions: Float32Array;
  readonly #triangles: Uint32Array;
  /** Position in the tree → triangle. */
  readonly #order: Uint32Array;
  /** Six numbers a node: least and most along each axis. */
  readonly #boxes: Float32Array;
  /** By node: where the upper half is; for a leaf, minus one less the place of its first triangle. */
  readonly #upper: Int32Array;
  readonly #counts: Uint8Array;
  readonly #stack = new Int32Array(MAX_DEPTH);
  readonly #bounds = new Float64Array(MAX_DEPTH);
  #made = 0;

  /** @param positions Float32Array, 3 a point @param triangles Uint32Array, 3 a triangle */
  constructor(positions: Float32Array, triangles: Uint32Array) {
    this.#positions = positions;
    this.#triangles = triangles;
    const count = triangles.length / 3;
    this.#order = Uint32Array.from({ length: count }, (_, t) => t);
    const nodes = Math.max(1, count);
    this.#boxes = new Float32Array(nodes * 6);
    this.#upper = new Int32Array(nodes);
    this.#counts = new Uint8Array(nodes);
    if (count > 0) this.#build(centresOf(positions, triangles), 0, count);
  }

  get isEmpty(): boolean {
    return this.#order.length === 0;
  }

  #build(centres: Float32Array, from: number, to: number): number {
    const node = this.#made++;
    if (to - from <= LEAF) {
      this.#upper[node] = -1 - from;
      this.#counts[node] = to - from;
      this.#layLeaf(node * 6, from, to);
      return node;
    }
    const middle = (from + to) >> 1;
    select(this.#order, centres, longestAxis(this.#order, centres, from, to), from, to - 1, middle);
    const lower = this.#build(centres, from, middle);
    const upper = this.#build(centres, middle, to);
    this.#upper[node] = upper;
    const boxes = this.#boxes;
    const [at, a, b] = [node * 6, lower * 6, upper * 6];
    for (let k = 0; k < 3; k++) boxes[at + k] = Math.min(boxes[a + k], boxes[b + k]);
    for (let k = 3; k < 6; k++) boxes[at + k] = Math.max(boxes[a + k], boxes[b + k]);
    return node;
  }

  #layLeaf(at: number, from: number, to: number): void {
    const positions = this.#positions;
    const triangles = this.#triangles;
    let [lx, ly, lz, mx, my, mz] = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
    for (let i = from; i < to; i++) {
      const t = this.#order[i] * 3;
      for (let corner = t; corner < t + 3; corner++) {
        const p = triangles[corner] * 3;
        const x = positions[p];
        const y = positions[p + 1];
        const z = positions[p + 2];
        if (x < lx) lx = x;
        if (y < ly) ly = y;
        if (z < lz) lz = z;
        if (x > mx) mx = x;
        if (y > my) my = y;
        if (z > mz) mz = z;
      }
    }
    const boxes = this.#boxes;
    boxes[at] = lx;
    boxes[at + 1] = ly;
    boxes[at + 2] = lz;
    boxes[at + 3] = mx;
    boxes[at + 4] = my;
    boxes[at + 5] = mz;
  }

  /**
   * The nearest place on the triangles, nearer than `most`, among the places that `fits`.
   *
   * @param hit  written; `triangle` is -1 where there is none
   * @param fits asked for a place that would be the nearest; all do where missing
   */
  nearest(
    x: number,
    y: number,
    z: number,
    most: number,
    hit: SurfaceHit,
    fits?: (hit: SurfaceHit) => boolean,
  ): void {
    hit.triangle = -1;
    hit.distance = most;
    if (this.isEmpty) return;
    const [stack, bounds, boxes] = [this.#stack, this.#bounds, this.#boxes];
    let least = most * most;
    let top = 0;
    stack[top] = 0;
    bounds[top++] = boxDistance(boxes, 0, x, y, z);
    while (top > 0) {
      const node = stack[--top];
      if (bounds[top] >= least) continue;
      const upper = this.#upper[node];
      if (upper < 0) {
        for (let i = -1 - upper, end = i + this.#counts[node]; i < end; i++)
          least = this.#meet(this.#order[i], x, y, z, least, hit, fits);
        continue;
      }
      const low = boxDistance(boxes, node + 1, x, y, z);
      const high = boxDistance(boxes, upper, x, y, z);
      const isLowNear = low <= high;
      // The nearer half comes off the stack first.
      if ((isLowNear ? high : low) < least) {
        stack[top] = isLowNear ? upper : node + 1;
        bounds[top++] = isLowNear ? high : low;
      }
      if ((isLowNear ? low : high) < least) {
        stack[top] = isLowNear ? node + 1 : upper;
        bounds[top++] = isLowNear ? low : high;
      }
    }
  }

  #meet(
    triangle: number,
    x: number,
    y: number,
    z: number,
    least: number,
    hit: SurfaceHit,
    fits: ((hit: SurfaceHit) => boolean) | undefined,
  ): number {
    const far = closestOnTriangle(this.#positions, this.#triangles, triangle, x, y, z, shares);
    if (far >= least) return least;
    if (fits) {
      candidate.triangle = triangle;
      candidate.u = shares[0];
      candidate.v = shares[1];
      candidate.w = shares[2];
      candidate.distance = Math.sqrt(far);
      if (!fits(candidate)) return least;
    }
    hit.triangle = triangle;
    hit.u = shares[0];
    hit.v = shares[1];
    hit.w = shares[2];
    hit.distance = Math.sqrt(far);
    return far;
  }
}

const shares = new Float64Array(3);
const candidate = createSurfaceHit();

function centresOf(positions: Float32Array, triangles: Uint32Array): Float32Array {
  const centres = new Float32Array(triangles.length);
  for (let t = 0; t < triangles.length; t += 3) {
    const a = triangles[t] * 3;
    const b = triangles[t + 1] * 3;
    const c = triangles[t + 2] * 3;
    for (let k = 0; k < 3; k++) centres[t + k] = (positions[a + k] + positions[b + k] + positions[c + k]) / 3;
  }
  return centres;
}

/** So many centres say along which axis the most of them lie apart. */
const SAMPLE = 256;

function longestAxis(order: Uint32Array, centres: Float32Array, from: number, to: number): number {
  const step = Math.max(1, Math.floor((to - from) / SAMPLE));
  let [lx, ly, lz, mx, my, mz] = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let i = from; i < to; i += step) {
    const at = order[i] * 3;
    lx = Math.min(lx, centres[at]);
    ly = Math.min(ly, centres[at + 1]);
    lz = Math.min(lz, centres[at + 2]);
    mx = Math.max(mx, centres[at]);
    my = Math.max(my, centres[at + 1]);
    mz = Math.max(mz, centres[at + 2]);
  }
  const [x, y, z] = [mx - lx, my - ly, mz - lz];
  return x >= y && x >= z ? 0 : y >= z ? 1 : 2;
}

/** Brings the item of rank `wanted` along an axis to its place, smaller ones before it (Hoare 1961). */
function select(
  order: Uint32Array,
  centres: Float32Array,
  axis: number,
  from: number,
  to: number,
  wanted: number,
): void {
  let left = from;
  let right = to;
  while (left < right) {
    const pivot = centres[order[(left + right) >> 1] * 3 + axis];
    let i = left;
    let j = right;
    while (i <= j) {
      while (centres[order[i] * 3 + axis] < pivot) i++;
      while (centres[order[j] * 3 + axis] > pivot) j--;
      if (i <= j) {
        const held = order[i];
        order[i++] = order[j];
        order[j--] = held;
      }
    }
    if (wanted <= j) right = j;
    else if (wanted >= i) left = i;
    else return;
  }
}

function boxDistance(boxes: Float32Array, node: number, x: number, y: number, z: number): number {
  const at = node * 6;
  const dx = x < boxes[at] ? boxes[at] - x : x > boxes[at + 3] ? x - boxes[at + 3] : 0;
  const dy = y < boxes[at + 1] ? boxes[at + 1] - y : y > boxes[at + 4] ? y - boxes[at + 4] : 0;
  const dz = z < boxes[at + 2] ? boxes[at + 2] - z : z > boxes[at + 5] ? z - boxes[at + 5] : 0;
  return dx * dx + dy * dy + dz * dz;
}

/** A triangle with less of its sides' squares, squared, for area is none. */
const SLIVER = 1e-12;
const within = (share: number): number => Math.min(1, Math.max(0, share));

/**
 * The place on a triangle that is nearest to another (Ericson 2005, "Real-time collision detection", 5.1.5).
 * @param out shares of the corners
 * @returns the squared distance
 */
function closestOnTriangle(
  positions: Float32Array,
  triangles: Uint32Array,
  triangle: number,
  x: number,
  y: number,
  z: number,
  out: Float64Array,
): number {
  const a = triangles[triangle * 3] * 3;
  const b = triangles[triangle * 3 + 1] * 3;
  const c = triangles[triangle * 3 + 2] * 3;
  const ax = positions[a];
  const ay = positions[a + 1];
  const az = positions[a + 2];
  const ux = positions[b] - ax;
  const uy = positions[b + 1] - ay;
  const uz = positions[b + 2] - az;
  const vx = positions[c] - ax;
  const vy = positions[c + 1] - ay;
  const vz = positions[c + 2] - az;
  const px = x - ax;
  const py = y - ay;
  const pz = z - az;
  const d1 = ux * px + uy * py + uz * pz;
  const d2 = vx * px + vy * py + vz * pz;
  const uu = ux * ux + uy * uy + uz * uz;
  const uv = ux * vx + uy * vy + uz * vz;
  const vv = vx * vx + vy * vy + vz * vz;
  const d3 = d1 - uu;
  const d4 = d2 - uv;
  const d5 = d1 - uv;
  const d6 = d2 - vv;
  const vc = d1 * d4 - d3 * d2;
  const vb = d5 * d2 - d1 * d6;
  const va = d3 * d6 - d5 * d4;
  let s = 0;
  let t = 0;
  if (d1 <= 0 && d2 <= 0) {
    // The first corner.
  } else if (d3 >= 0 && d4 <= d3) s = 1;
  else if (d6 >= 0 && d5 <= d6) t = 1;
  else if (vc <= 0 && d1 >= 0 && d3 <= 0) s = uu > 0 ? d1 / uu : 0;
  else if (vb <= 0 && d2 >= 0 && d6 <= 0) t = vv > 0 ? d2 / vv : 0;
  else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
    const across = d4 - d3 + (d5 - d6);
    t = across > 0 ? (d4 - d3) / across : 0;
    s = 1 - t;
  } else {
    const whole = va + vb + vc;
    if (whole > SLIVER * uu * vv) {
      s = vb / whole;
      t = vc / whole;
    } else {
      // Without area to speak of the sums above are rounding: it is its longest side.
      const ww = uu - 2 * uv + vv;
      if (ww >= uu && ww >= vv) {
        t = ww > 0 ? within((d4 - d3) / ww) : 0;
        s = 1 - t;
      } else if (uu >= vv) s = within(d1 / uu);
      else t = within(d2 / vv);
    }
  }
  out[0] = 1 - s - t;
  out[1] = s;
  out[2] = t;
  const dx = px - s * ux - t * vx;
  const dy = py - s * uy - t * vy;
  const dz = pz - s * uz - t * vz;
  return dx * dx + dy * dy + dz * dz;
}
