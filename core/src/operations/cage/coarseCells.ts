import type { MiddlePlane } from '../../skeleton/pairs.ts';
import { type VoxelGrid } from '../../spatial/voxels.ts';

/**
 * Large cells about a solid, with an empty one all around. Cell (x, y, z) has number (z·ny + y)·nx + x; its lowest corner stands
 * at origin + (x, y, z)·size.
 */
export interface CoarseCells {
  readonly counts: readonly [number, number, number];
  readonly origin: readonly [number, number, number];
  readonly size: number;
  /** Uint8Array: 1 where something of the solid is in the cell, or what is around it all has something. */
  readonly filled: Uint8Array;
}

/** Where a cage is the same on both sides. */
export type Across = Pick<MiddlePlane, 'axis' | 'middle'>;

/** Middles of a solid's cells: Float32Array, 3 a cell. */
export function solidPlaces({ nx, ny, nz, size, origin, solid }: VoxelGrid): Float32Array {
  const places = new Float32Array(solid.reduce((sum, cell) => sum + (cell === 0 ? 0 : 3), 0));
  let [cell, at] = [0, 0];
  for (let z = 0; z < nz; z++)
    for (let y = 0; y < ny; y++)
      for (let x = 0; x < nx; x++, cell++) {
        if (solid[cell] === 0) continue;
        places[at++] = origin[0] + (x + 0.5) * size;
        places[at++] = origin[1] + (y + 0.5) * size;
        places[at++] = origin[2] + (z + 0.5) * size;
      }
  return places;
}

/**
 * The large cells that a solid is in; with a plane, the same on both sides of it, and no cell lies across it.
 * @param places of {@link solidPlaces}
 */
export function coarseCells(
  solid: VoxelGrid,
  places: Float32Array,
  size: number,
  across?: Across,
): CoarseCells {
  const [counts, origin] = latticeAbout(solid, size, across);
  const [nx, ny] = counts;
  const filled = new Uint8Array(counts[0] * counts[1] * counts[2]);
  for (let i = 0; i < places.length; i += 3) {
    const x = Math.floor((places[i] - origin[0]) / size);
    const y = Math.floor((places[i + 1] - origin[1]) / size);
    const z = Math.floor((places[i + 2] - origin[2]) / size);
    filled[(z * ny + y) * nx + x] = 1;
  }
  if (across) fillAcross(filled, counts, across.axis);
  fillDiagonals(filled, counts);
  fillHollows(filled, counts);
  return { counts, origin, size, filled };
}

function fillAcross(filled: Uint8Array, counts: CoarseCells['counts'], axis: number): void {
  const [nx, ny] = counts;
  for (let cell = 0; cell < filled.length; cell++) {
    if (filled[cell] === 0) continue;
    const place = [cell % nx, Math.floor(cell / nx) % ny, Math.floor(cell / (nx * ny))];
    place[axis] = counts[axis] - 1 - place[axis];
    filled[(place[2] * ny + place[1]) * nx + place[0]] = 1;
  }
}

type Triple = [number, number, number];

function latticeAbout(
  { nx, ny, nz, size: fine, origin: least }: VoxelGrid,
  size: number,
  across: Across | undefined,
): [counts: Triple, origin: Triple] {
  const counts: Triple = [0, 0, 0];
  const origin: Triple = [0, 0, 0];
  [nx, ny, nz].forEach((n, a) => {
    const [low, high] = [least[a], least[a] + n * fine];
    if (across?.axis === a) {
      const half = Math.ceil(Math.max(across.middle - low, high - across.middle) / size) + 1;
      counts[a] = 2 * half;
      origin[a] = across.middle - half * size;
    } else {
      counts[a] = Math.ceil((high - low) / size) + 2;
      origin[a] = (low + high - counts[a] * size) / 2;
    }
  });
  return [counts, origin];
}

/**
 * Fills the other two of four cells about an edge where only those across from each other are filled, until there are none: their
 * surfaces would share that edge. All at once each time, so that both sides stay the same.
 */
export function fillDiagonals(filled: Uint8Array, counts: CoarseCells['counts']): void {
  for (let more = diagonalCells(filled, counts); more.length > 0; more = diagonalCells(filled, counts))
    for (const cell of more) filled[cell] = 1;
}

function diagonalCells(filled: Uint8Array, counts: CoarseCells['counts']): number[] {
  const [nx, ny] = counts;
  const steps = [1, nx, nx * ny];
  const found: number[] = [];
  for (let cell = 0; cell < filled.length; cell++) {
    const place = [cell % nx, Math.floor(cell / nx) % ny, Math.floor(cell / (nx * ny))];
    for (const [u, v] of PLANES) {
      if (place[u] + 1 >= counts[u] || place[v] + 1 >= counts[v]) continue;
      const four = [cell, cell + steps[u], cell + steps[v], cell + steps[u] + steps[v]];
      const [a, b, c, d] = four.map((each) => filled[each]);
      if (a === d && b === c && a !== b) found.push(...four);
    }
  }
  return found;
}

const PLANES = [
  [0, 1],
  [1, 2],
  [0, 2],
] as const;

/** Fills what cannot be reached from outside: a cage has no surface within. */
function fillHollows(filled: Uint8Array, [nx, ny, nz]: Triple): void {
  const reached = new Uint8Array(filled.length);
  const open = [0];
  reached[0] = 1;
  for (let cell = open.pop(); cell !== undefined; cell = open.pop()) {
    const x = cell % nx;
    const y = Math.floor(cell / nx) % ny;
    const z = Math.floor(cell / (nx * ny));
    const look = (isThere: boolean, next: number): void => {
      if (!isThere || filled[next] || reached[next]) return;
      reached[next] = 1;
      open.push(next);
    };
    look(x > 0, cell - 1);
    look(x < nx - 1, cell + 1);
    look(y > 0, cell - nx);
    look(y < ny - 1, cell + nx);
    look(z > 0, cell - nx * ny);
    look(z < nz - 1, cell + nx * ny);
  }
  reached.forEach((was, cell) => {
    if (!was) filled[cell] = 1;
  });
}
