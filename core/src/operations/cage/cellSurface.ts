import type { Across, CoarseCells } from './coarseCells.ts';

/** A closed surface of quads. */
export interface QuadSurface {
  /** Float32Array, 3 a point. */
  readonly positions: Float32Array;
  /** Uint32Array, 4 a quad, counter-clockwise from outside. */
  readonly quads: Uint32Array;
  /** By point, which one is across the middle; itself on it. Missing where the sides are not the same. */
  readonly across?: Uint32Array;
}

/** Corners of a cell's six sides, counter-clockwise from outside, and to which side each edge looks. Side 2·axis is the lower one. */
const SIDES = [0, 1, 2].flatMap((axis) => {
  const [u, v] = [(axis + 1) % 3, (axis + 2) % 3];
  const corner = (up: number, a: number, b: number): readonly number[] => {
    const at = [0, 0, 0];
    at[axis] = up;
    at[u] = a;
    at[v] = b;
    return at;
  };
  return [
    {
      corners: [corner(0, 0, 0), corner(0, 0, 1), corner(0, 1, 1), corner(0, 1, 0)],
      looks: [2 * u, 2 * v + 1, 2 * u + 1, 2 * v],
    },
    {
      corners: [corner(1, 0, 0), corner(1, 1, 0), corner(1, 1, 1), corner(1, 0, 1)],
      looks: [2 * v, 2 * u + 1, 2 * v + 1, 2 * u],
    },
  ];
});

/**
 * The surface between filled cells and empty ones. It is closed, and a manifold: where filled cells meet at a corner only, each has
 * points of its own there. None meet at an edge only, see fillDiagonals.
 */
export function cellSurface(cells: CoarseCells, across?: Across): QuadSurface {
  const sides = new CellSides(cells);
  const points = sides.joinCorners();
  const quads = Uint32Array.from(points);
  const count = quads.reduce((most, p) => Math.max(most, p + 1), 0);
  const positions = new Float32Array(count * 3);
  quads.forEach((p, i) => {
    const place = sides.placeOf(i);
    for (let k = 0; k < 3; k++) positions[p * 3 + k] = cells.origin[k] + place[k] * cells.size;
  });
  if (!across) return { positions, quads };
  const mirrored = new Uint32Array(count);
  quads.forEach((p, i) => (mirrored[p] = quads[sides.mirrored(i, across.axis)]));
  return { positions, quads, across: mirrored };
}

/** Sides of filled cells towards empty ones: quad q's corner k has number 4q + k. */
class CellSides {
  readonly #cells: CoarseCells;
  readonly #steps: readonly number[];
  /** Cell and side of each quad, as cell · 6 + side. */
  readonly #keys: number[] = [];
  readonly #numbers = new Map<number, number>();

  constructor(cells: CoarseCells) {
    this.#cells = cells;
    const [nx, ny] = cells.counts;
    this.#steps = [-1, 1, -nx, nx, -nx * ny, nx * ny];
    cells.filled.forEach((isFilled, cell) => {
      if (!isFilled) return;
      for (let side = 0; side < 6; side++) {
        if (cells.filled[cell + this.#steps[side]]) continue;
        this.#numbers.set(cell * 6 + side, this.#keys.length);
        this.#keys.push(cell * 6 + side);
      }
    });
  }

  /** Where a corner stands in the lattice. */
  placeOf(corner: number): readonly [number, number, number] {
    const key = this.#keys[corner >> 2];
    const [x, y, z] = this.#cellPlace(Math.floor(key / 6));
    const [dx, dy, dz] = SIDES[key % 6].corners[corner & 3];
    return [x + dx, y + dy, z + dz];
  }

  /** Of each corner the number of its point: corners that edges join are one. */
  joinCorners(): number[] {
    const joined = this.#keys.flatMap((_, q) => [q * 4, q * 4 + 1, q * 4 + 2, q * 4 + 3]);
    const root = (corner: number): number => {
      let at = corner;
      while (joined[at] !== at) at = joined[at] = joined[joined[at]];
      return at;
    };
    for (let corner = 0; corner < joined.length; corner++) {
      const next = this.#beyond(corner >> 2, corner & 3);
      for (const each of [corner, (corner & ~3) | ((corner + 1) & 3)])
        joined[root(this.#cornerAt(next, this.placeOf(each)))] = root(each);
    }
    const numbers = new Map<number, number>();
    return joined.map((_, corner) => {
      const own = root(corner);
      const number = numbers.get(own) ?? numbers.size;
      numbers.set(own, number);
      return number;
    });
  }

  /** The corner that is where one is on the other side of the middle. */
  mirrored(corner: number, axis: number): number {
    const key = this.#keys[corner >> 2];
    const cell = [...this.#cellPlace(Math.floor(key / 6))];
    cell[axis] = this.#cells.counts[axis] - 1 - cell[axis];
    const side = key % 6;
    const [nx, ny] = this.#cells.counts;
    const other = (cell[2] * ny + cell[1]) * nx + cell[0];
    const place = [...this.placeOf(corner)];
    place[axis] = this.#cells.counts[axis] - place[axis];
    return this.#cornerAt(this.#quad(other, side >> 1 === axis ? side ^ 1 : side), place);
  }

  /** The quad beyond an edge; filled cells that only meet at the edge are not joined. */
  #beyond(quad: number, edge: number): number {
    const { filled } = this.#cells;
    const key = this.#keys[quad];
    const [cell, side] = [Math.floor(key / 6), key % 6];
    const looks = SIDES[side].looks[edge];
    const beside = cell + this.#steps[looks];
    if (!filled[beside]) return this.#quad(cell, looks);
    const above = beside + this.#steps[side];
    return filled[above] ? this.#quad(above, looks ^ 1) : this.#quad(beside, side);
  }

  #quad(cell: number, side: number): number {
    return this.#numbers.get(cell * 6 + side) as number;
  }

  #cornerAt(quad: number, place: readonly number[]): number {
    for (let k = 0; k < 4; k++)
      if (this.placeOf(quad * 4 + k).every((at, a) => at === place[a])) return quad * 4 + k;
    throw new Error('Two quads that share an edge have no corner in common.');
  }

  #cellPlace(cell: number): readonly [number, number, number] {
    const [nx, ny] = this.#cells.counts;
    return [cell % nx, Math.floor(cell / nx) % ny, Math.floor(cell / (nx * ny))];
  }
}
