/**
 * Points in cells of a size, found by their cell's number (open addressing): whether any lies within a length of a
 * place, in about constant time. For lengths that are small against the whole; for the nearest see PointTree.
 */
export class PointCells {
  readonly #positions: Float32Array;
  readonly #length: number;
  readonly #inverse: number;
  readonly #mask: number;
  /** By slot: the first point of the cell, plus one. */
  readonly #heads: Uint32Array;
  /** By point: the next one of its slot, plus one. */
  readonly #next: Uint32Array;

  /** @param length how far `near` looks */
  constructor(positions: Float32Array, points: Iterable<number>, length: number) {
    this.#positions = positions;
    this.#length = length;
    // Twice the length: what lies within it falls into the eight cells about the nearest corner.
    this.#inverse = 1 / (2 * Math.max(length, 1e-30));
    const count = positions.length / 3;
    const slots = 1 << Math.ceil(Math.log2(Math.max(16, 2 * count)));
    this.#mask = slots - 1;
    this.#heads = new Uint32Array(slots);
    this.#next = new Uint32Array(count);
    for (const p of points) {
      const slot = this.#slot(
        Math.floor(positions[p * 3] * this.#inverse),
        Math.floor(positions[p * 3 + 1] * this.#inverse),
        Math.floor(positions[p * 3 + 2] * this.#inverse),
      );
      this.#next[p] = this.#heads[slot];
      this.#heads[slot] = p + 1;
    }
  }

  /** A point within the length of a place, of those whose `group` is not `without`; -1 for none. */
  near(x: number, y: number, z: number, group?: Int32Array, without = -1): number {
    return this.#find(x, y, z, true, group, without);
  }

  /** The nearest of the points within the length, the lower number of equally near ones; -1 for none. */
  nearest(x: number, y: number, z: number): number {
    return this.#find(x, y, z, false);
  }

  #find(x: number, y: number, z: number, isAnyEnough: boolean, group?: Int32Array, without = -1): number {
    const positions = this.#positions;
    let least = this.#length * this.#length;
    let best = -1;
    const [fx, fy, fz] = [x * this.#inverse, y * this.#inverse, z * this.#inverse];
    const [cx, cy, cz] = [Math.floor(fx), Math.floor(fy), Math.floor(fz)];
    const sx = fx - cx < 0.5 ? -1 : 1;
    const sy = fy - cy < 0.5 ? -1 : 1;
    const sz = fz - cz < 0.5 ? -1 : 1;
    for (let corner = 0; corner < 8; corner++) {
      const slot = this.#slot(
        corner & 1 ? cx + sx : cx,
        corner & 2 ? cy + sy : cy,
        corner & 4 ? cz + sz : cz,
      );
      for (let one = this.#heads[slot]; one !== 0; one = this.#next[one - 1]) {
        const p = one - 1;
        if (group !== undefined && group[p] === without) continue;
        const dx = positions[p * 3] - x;
        const dy = positions[p * 3 + 1] - y;
        const dz = positions[p * 3 + 2] - z;
        const far = dx * dx + dy * dy + dz * dz;
        if (far < least || (far === least && best >= 0 && p < best)) {
          if (isAnyEnough) return p;
          least = far;
          best = p;
        }
      }
    }
    return best;
  }

  #slot(x: number, y: number, z: number): number {
    return ((Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) >>> 0) & this.#mask;
  }
}
