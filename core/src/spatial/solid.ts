import type { Soup } from './soup.ts';
import { voxelize, type DeepGrid } from './voxelize.ts';
import { INSIDE, type VoxelGrid } from './voxels.ts';

/** A filled soup. */
export interface Solid extends DeepGrid {
  readonly solidCount: number;
}

const MAX_CELLS = 24e6;
const MAX_ACROSS = 600;

/**
 * Fills the soup with about `wanted` solid cells: volume and area tell how large the cells may be, one correction
 * follows where the mesh is too torn for that.
 */
export async function fillSolid(
  positions: Float32Array,
  triangles: Uint32Array,
  soup: Soup,
  wanted: number,
): Promise<Solid> {
  const { volume, area, longest } = soup;
  let size = cellSize(volume, area, longest, wanted);
  let grid = await voxelize(positions, triangles, size, soup);
  let count = countSolid(grid);
  if (count < wanted / 2 || count > wanted * 2) {
    // Cells inside grow with the third power, those of the shell with the second.
    const finer = Math.min(
      Math.pow(wanted / Math.max(1, count), 1 / 2.6),
      Math.cbrt(MAX_CELLS / (grid.nx * grid.ny * grid.nz)),
    );
    size = Math.max(size / finer, longest / MAX_ACROSS);
    grid = await voxelize(positions, triangles, size, soup);
    count = countSolid(grid);
  }
  return { ...grid, solidCount: count };
}

/** The size at which volume and shell make `wanted` cells: size falls from large to small until there are enough. */
function cellSize(volume: number, area: number, longest: number, wanted: number): number {
  let size = longest / 8;
  while (volume / size ** 3 + (0.8 * area) / size ** 2 < wanted && size > longest / MAX_ACROSS) size *= 0.98;
  return size;
}

function countSolid({ solid }: VoxelGrid): number {
  let count = 0;
  for (let i = 0; i < solid.length; i++) if (solid[i] !== 0) count++;
  return count;
}

/** The cell that a place lies in, -1 outside of the grid. */
export function cellAt(grid: VoxelGrid, x: number, y: number, z: number): number {
  const cx = Math.floor((x - grid.origin[0]) / grid.size);
  const cy = Math.floor((y - grid.origin[1]) / grid.size);
  const cz = Math.floor((z - grid.origin[2]) / grid.size);
  if (cx < 0 || cy < 0 || cz < 0 || cx >= grid.nx || cy >= grid.ny || cz >= grid.nz) return -1;
  return (cz * grid.ny + cy) * grid.nx + cx;
}

/** Whether a place lies in a cell whose centre is inside. */
export function isInside(grid: VoxelGrid, x: number, y: number, z: number): boolean {
  const cell = cellAt(grid, x, y, z);
  return cell >= 0 && grid.solid[cell] === INSIDE;
}

/** The solid cell nearest to a place, at most `reach` cells away; -1 if there is none. */
export function nearestSolidCell(grid: VoxelGrid, x: number, y: number, z: number, reach: number): number {
  const { nx, ny, nz, size, origin, solid } = grid;
  const [px, py, pz] = [
    (x - origin[0]) / size - 0.5,
    (y - origin[1]) / size - 0.5,
    (z - origin[2]) / size - 0.5,
  ];
  const [cx, cy, cz] = [Math.round(px), Math.round(py), Math.round(pz)];
  let best = -1;
  let least = Infinity;
  for (let kz = Math.max(0, cz - reach); kz <= Math.min(nz - 1, cz + reach); kz++) {
    for (let ky = Math.max(0, cy - reach); ky <= Math.min(ny - 1, cy + reach); ky++) {
      for (let kx = Math.max(0, cx - reach); kx <= Math.min(nx - 1, cx + reach); kx++) {
        const i = (kz * ny + ky) * nx + kx;
        if (solid[i] === 0) continue;
        const far = (kx - px) * (kx - px) + (ky - py) * (ky - py) + (kz - pz) * (kz - pz);
        if (far < least) {
          least = far;
          best = i;
        }
      }
    }
  }
  return best;
}
