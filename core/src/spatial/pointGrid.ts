/** Points that lie about a place: room that is used again, the first `count` of them. */
export interface PointsAround {
  readonly points: Uint32Array;
  /** How far each is, squared. */
  readonly squares: Float64Array;
  count: number;
}

/** Cells along an axis that are looked at, at most: where numbers are too large for the next cell to be another one it ends. */
const MOST_CELLS = 64;

/**
 * Points in cells of a size, found by their cell's number, those of a cell together: all that lie within a length of about
 * that size. For whether there is any see PointCells; for the nearest see PointTree.
 */
export class PointGrid {
  readonly #inverse: number;
  readonly #mask: number;
  /** By slot: where its points begin; one more than there are slots. */
  readonly #starts: Uint32Array;
  readonly #points: Uint32Array;
  /** Three numbers a point, in the order of the slots. */
  readonly #places: Float32Array;

  /** @param positions Float32Array, 3 a point @param points those that count */
  constructor(positions: Float32Array, points: Uint32Array, size: number) {
    this.#inverse = 1 / Math.max(size, 1e-30);
    const slots = 1 << Math.ceil(Math.log2(Math.max(16, 2 * points.length)));
    this.#mask = slots - 1;
    this.#starts = new Uint32Array(slots + 1);
    this.#points = new Uint32Array(points.length);
    this.#places = new Float32Array(points.length * 3);
    const own = points.map((p) => this.#slotOf(positions, p * 3));
    for (const slot of own) this.#starts[slot]++;
    for (let slot = 0, sum = 0; slot <= slots; slot++) this.#starts[slot] = sum += this.#starts[slot];
    for (let i = points.length - 1; i >= 0; i--) {
      const at = --this.#starts[own[i]];
      this.#points[at] = points[i];
      for (let k = 0; k < 3; k++) this.#places[at * 3 + k] = positions[points[i] * 3 + k];
    }
  }

  /** Writes the points within a length of a place, each once, in no order. */
  within(x: number, y: number, z: number, length: number, out: PointsAround): void {
    const size = this.#inverse;
    const [cx, cy, cz] = [x - length, y - length, z - length].map((at) => Math.floor(at * size));
    const [nx, ny, nz] = [x + length, y + length, z + length].map((at, k) =>
      Math.min(MOST_CELLS, Math.floor(at * size) - [cx, cy, cz][k]),
    );
    out.count = 0;
    for (let i = 0; i <= nx; i++)
      for (let j = 0; j <= ny; j++)
        for (let k = 0; k <= nz; k++) this.#visit(cx + i, cy + j, cz + k, x, y, z, length * length, out);
  }

  #visit(
    cx: number,
    cy: number,
    cz: number,
    x: number,
    y: number,
    z: number,
    most: number,
    out: PointsAround,
  ): void {
    const [places, size] = [this.#places, this.#inverse];
    const slot = this.#slot(cx, cy, cz);
    for (let i = this.#starts[slot], end = this.#starts[slot + 1]; i < end; i++) {
      const px = places[i * 3];
      const py = places[i * 3 + 1];
      const pz = places[i * 3 + 2];
      const far = (px - x) ** 2 + (py - y) ** 2 + (pz - z) ** 2;
      // Cells that share a slot share their points: each is visited from its own.
      if (
        far > most ||
        Math.floor(px * size) !== cx ||
        Math.floor(py * size) !== cy ||
        Math.floor(pz * size) !== cz
      )
        continue;
      out.points[out.count] = this.#points[i];
      out.squares[out.count++] = far;
    }
  }

  #slotOf(positions: Float32Array, at: number): number {
    const size = this.#inverse;
    return this.#slot(
      Math.floor(positions[at] * size),
      Math.floor(positions[at + 1] * size),
      Math.floor(positions[at + 2] * size),
    );
  }

  #slot(x: number, y: number, z: number): number {
    return ((Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) >>> 0) & this.#mask;
  }
}
