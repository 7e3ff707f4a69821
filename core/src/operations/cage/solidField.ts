import type { DeepGrid } from '../../spatial/voxelize.ts';
import type { Across } from './coarseCells.ts';

const FAR = 1e20;

/**
 * How far places are from a solid, below zero within: read between the middles of its cells, and beyond the grid by how far that is
 * away. Exact squared distances along one axis after the other (Felzenszwalb & Huttenlocher 2012, "Distance transforms of sampled
 * functions").
 */
export class SolidField {
  readonly #grid: DeepGrid;
  readonly #far: Float32Array;
  readonly #across: Across | undefined;

  /** @param across the plane that the solid is taken to be the same on both sides of */
  constructor(grid: DeepGrid, across?: Across) {
    this.#grid = grid;
    this.#across = across;
    this.#far = farFrom(grid);
  }

  get cell(): number {
    return this.#grid.size;
  }

  /** How far a place is from the solid. */
  at(x: number, y: number, z: number): number {
    const own = this.#ownAt(x, y, z);
    if (!this.#across) return own;
    const { axis, middle } = this.#across;
    const other = [x, y, z];
    other[axis] = 2 * middle - other[axis];
    return Math.min(own, this.#ownAt(other[0], other[1], other[2]));
  }

  #ownAt(x: number, y: number, z: number): number {
    const { origin, size, nx, ny, nz } = this.#grid;
    const px = (x - origin[0]) / size - 0.5;
    const py = (y - origin[1]) / size - 0.5;
    const pz = (z - origin[2]) / size - 0.5;
    const hx = Math.min(Math.max(px, 0), nx - 1.001);
    const hy = Math.min(Math.max(py, 0), ny - 1.001);
    const hz = Math.min(Math.max(pz, 0), nz - 1.001);
    const [cx, cy, cz] = [Math.floor(hx), Math.floor(hy), Math.floor(hz)];
    const first = (cz * ny + cy) * nx + cx;
    const low = this.#onFloor(first, hx - cx, hy - cy);
    const high = this.#onFloor(first + nx * ny, hx - cx, hy - cy);
    return low + (hz - cz) * (high - low) + Math.hypot(px - hx, py - hy, pz - hz) * size;
  }

  /** Between four cells of one floor of the grid. */
  #onFloor(first: number, x: number, y: number): number {
    const far = this.#far;
    const up = first + this.#grid.nx;
    const low = far[first] + x * (far[first + 1] - far[first]);
    const high = far[up] + x * (far[up + 1] - far[up]);
    return low + y * (high - low);
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
  const squares = new Float64Array(solid.length);
  for (let i = 0; i < squares.length; i++) squares[i] = solid[i] === 0 ? FAR : 0;
  const longest = Math.max(nx, ny, nz);
  const room = {
    values: new Float64Array(longest),
    vertices: new Int32Array(longest),
    bounds: new Float64Array(longest + 1),
  };
  const floor = nx * ny;
  for (let z = 0; z < nz; z++)
    for (let y = 0; y < ny; y++) lowerParabolas(squares, z * floor + y * nx, 1, nx, room);
  for (let z = 0; z < nz; z++)
    for (let x = 0; x < nx; x++) lowerParabolas(squares, z * floor + x, nx, ny, room);
  for (let i = 0; i < floor; i++) lowerParabolas(squares, i, floor, nz, room);
  const far = new Float32Array(squares.length);
  for (let i = 0; i < far.length; i++) far[i] = Math.sqrt(squares[i]) * size - depth[i];
  return far;
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
  let last = 0;
  vertices[0] = 0;
  bounds[0] = -Infinity;
  bounds[1] = Infinity;
  for (let i = 1; i < count; i++) {
    let at = meet(values, vertices[last], i);
    while (at <= bounds[last]) at = meet(values, vertices[--last], i);
    vertices[++last] = i;
    bounds[last] = at;
    bounds[last + 1] = Infinity;
  }
  for (let i = 0, k = 0; i < count; i++) {
    while (bounds[k + 1] < i) k++;
    squares[start + i * step] = (i - vertices[k]) ** 2 + values[vertices[k]];
  }
}

/** Where two parabolas that stand on a line's numbers cross. */
const meet = (values: Float64Array, a: number, b: number): number =>
  (values[b] + b * b - (values[a] + a * a)) / (2 * b - 2 * a);
