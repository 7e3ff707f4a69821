import type { DeepGrid } from '../../spatial/voxelize.ts';

const FAR = 1e20;

/**
 * How far places are from a solid, below zero within: read between the middles of its cells, and beyond the grid by how far that is
 * away. Exact squared distances along one axis after the other (Felzenszwalb & Huttenlocher 2012, "Distance transforms of sampled
 * functions").
 */
export class SolidField {
  readonly #grid: DeepGrid;
  readonly #far: Float32Array;

  constructor(grid: DeepGrid) {
    this.#grid = grid;
    this.#far = farFrom(grid);
  }

  get cell(): number {
    return this.#grid.size;
  }

  /** How far a place is from the solid. */
  at(x: number, y: number, z: number): number {
    const { origin, size, nx, ny, nz } = this.#grid;
    const counts = [nx, ny, nz];
    const place = [x, y, z].map((value, k) => (value - origin[k]) / size - 0.5);
    const held = place.map((value, k) => Math.min(Math.max(value, 0), counts[k] - 1.001));
    const beyond = Math.hypot(...place.map((value, k) => value - held[k])) * size;
    const [cx, cy, cz] = held.map(Math.floor);
    const [fx, fy, fz] = [held[0] - cx, held[1] - cy, held[2] - cz];
    let sum = 0;
    for (let corner = 0; corner < 8; corner++) {
      const [i, j, k] = [corner & 1, (corner >> 1) & 1, corner >> 2];
      const share = (i ? fx : 1 - fx) * (j ? fy : 1 - fy) * (k ? fz : 1 - fz);
      sum += share * this.#far[((cz + k) * ny + cy + j) * nx + cx + i];
    }
    return sum + beyond;
  }

  /** Which way leads out fastest, of length one, into `out`; zero where none does. */
  outwards(x: number, y: number, z: number, out: Float64Array): void {
    const step = this.#grid.size;
    out[0] = this.at(x + step, y, z) - this.at(x - step, y, z);
    out[1] = this.at(x, y + step, z) - this.at(x, y - step, z);
    out[2] = this.at(x, y, z + step) - this.at(x, y, z - step);
    const length = Math.hypot(out[0], out[1], out[2]);
    for (let k = 0; k < 3; k++) out[k] = length > 0 ? out[k] / length : 0;
  }
}

function farFrom({ nx, ny, nz, size, solid, depth }: DeepGrid): Float32Array {
  const squares = Float64Array.from(solid, (cell) => (cell === 0 ? FAR : 0));
  const longest = Math.max(nx, ny, nz);
  const room = {
    values: new Float64Array(longest),
    vertices: new Int32Array(longest),
    bounds: new Float64Array(longest + 1),
  };
  const lines = (count: number, step: number, starts: Iterable<number>): void => {
    for (const start of starts) lowerParabolas(squares, start, step, count, room);
  };
  lines(nx, 1, startsOf(ny, nx, nz, nx * ny));
  lines(ny, nx, startsOf(nx, 1, nz, nx * ny));
  lines(nz, nx * ny, startsOf(nx, 1, ny, nx));
  return Float32Array.from(squares, (square, i) => Math.sqrt(square) * size - depth[i]);
}

function* startsOf(m: number, stepM: number, n: number, stepN: number): Generator<number> {
  for (let j = 0; j < n; j++) for (let i = 0; i < m; i++) yield j * stepN + i * stepM;
}

interface Room {
  readonly values: Float64Array;
  readonly vertices: Int32Array;
  readonly bounds: Float64Array;
}

/** The least of all parabolas that stand on a line's numbers, in place. */
function lowerParabolas(
  squares: Float64Array,
  start: number,
  step: number,
  count: number,
  { values, vertices, bounds }: Room,
): void {
  for (let i = 0; i < count; i++) values[i] = squares[start + i * step];
  const meet = (a: number, b: number): number => (values[b] + b * b - (values[a] + a * a)) / (2 * b - 2 * a);
  let last = 0;
  vertices[0] = 0;
  bounds[0] = -Infinity;
  bounds[1] = Infinity;
  for (let i = 1; i < count; i++) {
    let at = meet(vertices[last], i);
    while (at <= bounds[last]) at = meet(vertices[--last], i);
    vertices[++last] = i;
    bounds[last] = at;
    bounds[last + 1] = Infinity;
  }
  for (let i = 0, k = 0; i < count; i++) {
    while (bounds[k + 1] < i) k++;
    squares[start + i * step] = (i - vertices[k]) ** 2 + values[vertices[k]];
  }
}
