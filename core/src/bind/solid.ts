import { boxOfTriangles, INSIDE, voxelize, type Box, type VoxelGrid } from './voxels.ts';

/** A voxel grid with the depth of each cell: how far it is from its centre to the outside. */
export interface Solid extends VoxelGrid {
  /** Float32Array, cellCount; 0 outside and in the shell. */
  readonly depth: Float32Array;
  readonly solidCount: number;
}

const MOST_CELLS = 24e6;
const MOST_ACROSS = 600;

/**
 * Fills the soup with about `wanted` solid cells: volume and area tell how large the cells may be, one correction
 * follows where the mesh is too torn for that.
 */
export function fillSolid(
  positions: Float32Array,
  triangles: Uint32Array,
  longest: number,
  wanted: number,
  box: Box = boxOfTriangles(positions, triangles),
): Solid {
  const { volume, area } = measureSoup(positions, triangles);
  let size = cellSize(volume, area, longest, wanted);
  let grid = voxelize(positions, triangles, size, box);
  const count = countSolid(grid);
  if (count < wanted / 2 || count > wanted * 2) {
    // Cells inside grow with the third power, those of the shell with the second.
    const finer = Math.min(
      Math.pow(wanted / Math.max(1, count), 1 / 2.6),
      Math.cbrt(MOST_CELLS / (grid.nx * grid.ny * grid.nz)),
    );
    size = Math.max(size / finer, longest / MOST_ACROSS);
    grid = voxelize(positions, triangles, size, box);
  }
  return { ...grid, depth: measureDepth(grid), solidCount: countSolid(grid) };
}

/** Signed volume (as if closed) and area. */
function measureSoup(positions: Float32Array, triangles: Uint32Array): { volume: number; area: number } {
  let volume = 0;
  let area = 0;
  // Measured from a corner of the mesh, so that a mesh far from the origin does not lose its figures.
  const ox = positions[triangles[0] * 3];
  const oy = positions[triangles[0] * 3 + 1];
  const oz = positions[triangles[0] * 3 + 2];
  for (let t = 0; t < triangles.length; t += 3) {
    const a = triangles[t] * 3;
    const b = triangles[t + 1] * 3;
    const c = triangles[t + 2] * 3;
    const ax = positions[a] - ox;
    const ay = positions[a + 1] - oy;
    const az = positions[a + 2] - oz;
    const ux = positions[b] - ox - ax;
    const uy = positions[b + 1] - oy - ay;
    const uz = positions[b + 2] - oz - az;
    const vx = positions[c] - ox - ax;
    const vy = positions[c + 1] - oy - ay;
    const vz = positions[c + 2] - oz - az;
    const nx = uy * vz - uz * vy;
    const ny = uz * vx - ux * vz;
    const nz = ux * vy - uy * vx;
    volume += (ax * nx + ay * ny + az * nz) / 6;
    area += Math.sqrt(nx * nx + ny * ny + nz * nz) / 2;
  }
  return { volume: Math.abs(volume), area };
}

/** The size at which volume and shell make `wanted` cells: size falls from large to small until there are enough. */
function cellSize(volume: number, area: number, longest: number, wanted: number): number {
  let size = longest / 8;
  while (volume / size ** 3 + (0.8 * area) / size ** 2 < wanted && size > longest / MOST_ACROSS) size *= 0.98;
  return size;
}

function countSolid({ solid }: VoxelGrid): number {
  let count = 0;
  for (let i = 0; i < solid.length; i++) if (solid[i] !== 0) count++;
  return count;
}

/** Chamfer distance (Borgefors 1986) of the inside cells to the nearest cell that is not inside, two sweeps. */
function measureDepth({ nx, ny, size, solid }: VoxelGrid): Float32Array {
  const depth = new Float32Array(solid.length);
  for (let i = 0; i < solid.length; i++) depth[i] = solid[i] === INSIDE ? Infinity : 0;
  const back: number[] = [];
  const lengths: number[] = [];
  for (let z = -1; z <= 1; z++) {
    for (let y = -1; y <= 1; y++) {
      for (let x = -1; x <= 1; x++) {
        const step = (z * ny + y) * nx + x;
        if (step >= 0) continue;
        back.push(step);
        lengths.push(Math.hypot(x, y, z) * size);
      }
    }
  }
  const sweep = (from: number, to: number, direction: 1 | -1): void => {
    for (let i = from; i !== to; i += direction) {
      if (depth[i] === 0) continue;
      let least = depth[i];
      for (let k = 0; k < back.length; k++) {
        const other = depth[i + back[k] * direction] + lengths[k];
        if (other < least) least = other;
      }
      depth[i] = least;
    }
  };
  // The margin keeps every inside cell away from the grid's faces.
  const edge = nx * ny + nx + 1;
  sweep(edge, solid.length - edge, 1);
  sweep(solid.length - edge - 1, edge - 1, -1);
  for (let i = 0; i < depth.length; i++) if (depth[i] > 0) depth[i] -= size / 2;
  return depth;
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
