/**
 * A solid out of any triangles: cells inside the surface, and the cells that the surface itself passes through.
 *
 * Cell (x, y, z) has number (z·ny + y)·nx + x and is centred at origin + (x + ½, y + ½, z + ½)·size.
 * - `solid`  Uint8Array, cellCount: 0 outside, else {@link SHELL} or {@link INSIDE}.
 * The grid lies evenly about the middle of the box, with an even number of cells across: mirrored triangles give the
 * mirrored solid.
 */
export interface VoxelGrid {
  readonly nx: number;
  readonly ny: number;
  readonly nz: number;
  readonly size: number;
  readonly origin: readonly [number, number, number];
  readonly solid: Uint8Array;
}

/** The surface passes through the cell, but its centre is outside. */
export const SHELL = 1;
/** The centre of the cell is inside. */
export const INSIDE = 2;

/** A soup on its way into a grid: everything flat, in the kernels' memory. */
export interface VoxelWork {
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
  readonly counts: readonly [number, number, number];
  readonly origin: readonly [number, number, number];
  readonly size: number;
  /** Float32Array, 4·pointCount: places in cells, measured from the middle of the grid; every fourth number is unused. */
  readonly places: Float32Array;
  /** Int16Array, cellCount each: signs of the crossings along the three axes. */
  readonly windings: readonly [Int16Array, Int16Array, Int16Array];
  /** Uint8Array, cellCount: how many of the six ways of asking say that the cell is inside. */
  readonly votes: Uint8Array;
  readonly solid: Uint8Array;
  /** Float32Array, cellCount: from the cell's centre to the outside. */
  readonly depth: Float32Array;
  /** Int32Array and Float64Array: steps to the thirteen neighbours with lower numbers, and their lengths. */
  readonly backSteps: Int32Array;
  readonly backLengths: Float64Array;
}

/** Votes that make a cell inside. */
export const ENOUGH_VOTES = 4;

/** Steps between neighbouring cells along each axis. */
export const stepsOf = ([nx, ny]: readonly number[]): [number, number, number] => [1, nx, nx * ny];

/** The two axes across one, and the axis itself. */
export const axesOf = (axis: number): [number, number, number] => [(axis + 1) % 3, (axis + 2) % 3, axis];

/** The first cell that has all its neighbours in the grid; as many stand at the end. */
export const edgeOf = ([nx, ny]: readonly number[]): number => nx * ny + nx + 1;

/**
 * Places of points in cells, from the middle of the grid: mirrored points get mirrored ones, to the bit. Twin of
 * placeInCells in core/kernels/voxels.ts.
 */
export function placeInCells({ positions, places, counts, origin, size }: VoxelWork): void {
  const middle = middleOf(counts, origin, size);
  const inverse = 1 / size;
  for (let i = 0; i < positions.length; i++)
    places[Math.floor(i / 3) * 4 + (i % 3)] = (positions[i] - middle[i % 3]) * inverse;
}

/** Where the middle of a grid lies; its counts are even. */
export const middleOf = (
  counts: readonly number[],
  origin: readonly number[],
  size: number,
): [number, number, number] =>
  [0, 1, 2].map((k) => origin[k] + (counts[k] / 2) * size) as [number, number, number];

/** A point's place along an axis, in cells from the grid's first. */
const placeOf = ({ places, counts }: VoxelWork, point: number, axis: number): number =>
  places[point * 4 + axis] + counts[axis] / 2;

/**
 * Crossings of all triangles with the rows along the three axes, and the cells that they pass through. Twin of
 * crossTriangles in core/kernels/voxels.ts.
 */
export function crossTriangles(work: VoxelWork): void {
  for (let axis = 0; axis < 3; axis++) crossRows(work, axis);
  markShells(work);
}

/** Notes the sign of each crossing at the first cell whose centre lies behind it, for every row along `axis`. */
function crossRows(work: VoxelWork, axis: number): void {
  const { triangles, counts, windings } = work;
  const winding = windings[axis];
  const steps = stepsOf(counts);
  const [u, v] = axesOf(axis);
  for (let t = 0; t < triangles.length; t += 3) {
    // 1. Corners in cells, measured from the centre of the first one.
    const [a, b, c] = triangles.subarray(t, t + 3);
    const au = placeOf(work, a, u) - 0.5;
    const av = placeOf(work, a, v) - 0.5;
    const bu = placeOf(work, b, u) - 0.5;
    const bv = placeOf(work, b, v) - 0.5;
    const cu = placeOf(work, c, u) - 0.5;
    const cv = placeOf(work, c, v) - 0.5;
    const u0 = Math.max(0, Math.ceil(Math.min(au, bu, cu)));
    const u1 = Math.min(counts[u] - 1, Math.floor(Math.max(au, bu, cu)));
    const v0 = Math.max(0, Math.ceil(Math.min(av, bv, cv)));
    const v1 = Math.min(counts[v] - 1, Math.floor(Math.max(av, bv, cv)));
    if (u0 > u1 || v0 > v1) continue;
    const area = (bu - au) * (cv - av) - (bv - av) * (cu - au);
    if (area === 0) continue;
    const sign = area > 0 ? 1 : -1;
    const aw = placeOf(work, a, axis) - 0.5;
    const bw = placeOf(work, b, axis) - 0.5;
    const cw = placeOf(work, c, axis) - 0.5;
    // 2. Every row whose line passes through the triangle; an edge belongs to one of its two triangles.
    for (let y = v0; y <= v1; y++) {
      for (let x = u0; x <= u1; x++) {
        const ea = edge(bu, bv, cu, cv, x, y) * sign;
        const eb = edge(cu, cv, au, av, x, y) * sign;
        const ec = edge(au, av, bu, bv, x, y) * sign;
        if (ea < 0 || eb < 0 || ec < 0) continue;
        if (ea === 0 && !owns((cu - bu) * sign, (cv - bv) * sign)) continue;
        if (eb === 0 && !owns((au - cu) * sign, (av - cv) * sign)) continue;
        if (ec === 0 && !owns((bu - au) * sign, (bv - av) * sign)) continue;
        const depth = (ea * aw + eb * bw + ec * cw) / (ea + eb + ec);
        const w = Math.max(0, Math.ceil(depth));
        if (w < counts[axis]) winding[x * steps[u] + y * steps[v] + w * steps[axis]] -= sign;
      }
    }
  }
}

function edge(pu: number, pv: number, qu: number, qv: number, x: number, y: number): number {
  return (qu - pu) * (y - pv) - (qv - pv) * (x - pu);
}

/** The fill rule: of two triangles along an edge, the one on whose left it runs down or along. */
function owns(du: number, dv: number): boolean {
  return dv < 0 || (dv === 0 && du > 0);
}

/**
 * Each row's winding from both ends: a vote for every cell that either finds inside. Twin of castVotes in
 * core/kernels/voxels.ts.
 */
export function castVotes({ windings, votes, counts }: VoxelWork, axis: number): void {
  const winding = windings[axis];
  const steps = stepsOf(counts);
  const [u, v] = axesOf(axis);
  const step = steps[axis];
  for (let y = 0; y < counts[v]; y++) {
    for (let x = 0; x < counts[u]; x++) {
      const row = x * steps[u] + y * steps[v];
      let total = 0;
      for (let w = 0, i = row; w < counts[axis]; w++, i += step) total += winding[i];
      let before = 0;
      for (let w = 0, i = row; w < counts[axis]; w++, i += step) {
        before += winding[i];
        if (before !== 0) votes[i]++;
        if (total - before !== 0) votes[i]++;
      }
    }
  }
}

/** Cells with enough votes are inside; twin of countVotes in core/kernels/voxels.ts. */
export function countVotes({ votes, solid }: VoxelWork): void {
  for (let i = 0; i < solid.length; i++) if (votes[i] >= ENOUGH_VOTES) solid[i] = INSIDE;
}

/**
 * Chamfer distance (Borgefors 1986) of the inside cells to the nearest cell that is not inside, two sweeps. Twin of
 * measureDepth in core/kernels/voxels.ts.
 */
export function measureDepth({ solid, depth, counts, size, backSteps, backLengths }: VoxelWork): void {
  for (let i = 0; i < solid.length; i++) depth[i] = solid[i] === INSIDE ? Infinity : 0;
  const sweep = (from: number, to: number, direction: 1 | -1): void => {
    for (let i = from; i !== to; i += direction) {
      if (depth[i] === 0) continue;
      let least = depth[i];
      for (let k = 0; k < backSteps.length; k++)
        least = Math.min(least, depth[i + backSteps[k] * direction] + backLengths[k]);
      depth[i] = least;
    }
  };
  // The margin keeps every inside cell away from the grid's faces.
  const edge = edgeOf(counts);
  sweep(edge, solid.length - edge, 1);
  sweep(solid.length - edge - 1, edge - 1, -1);
  for (let i = 0; i < depth.length; i++) if (depth[i] > 0) depth[i] -= size / 2;
}

/** Marks the cells that the surface passes through (separating axes: Akenine-Möller 2001). */
function markShells(work: VoxelWork): void {
  const { triangles, solid, counts } = work;
  const [nx, ny] = counts;
  const p = new Float64Array(9);
  for (let t = 0; t < triangles.length; t += 3) {
    for (let i = 0; i < 9; i++) p[i] = placeOf(work, triangles[t + Math.floor(i / 3)], i % 3);
    // The margin keeps every cell of the surface inside the grid.
    const [x0, y0, z0] = [0, 1, 2].map((k) => Math.floor(Math.min(p[k], p[k + 3], p[k + 6])));
    const [x1, y1, z1] = [0, 1, 2].map((k) => Math.floor(Math.max(p[k], p[k + 3], p[k + 6])));
    const single = x0 === x1 && y0 === y1 && z0 === z1;
    for (let z = z0; z <= z1; z++) {
      for (let y = y0; y <= y1; y++) {
        for (let x = x0; x <= x1; x++) {
          const i = (z * ny + y) * nx + x;
          if (solid[i] === 0 && (single || crosses(p, x + 0.5, y + 0.5, z + 0.5))) solid[i] = SHELL;
        }
      }
    }
  }
}

/** Whether a triangle meets the unit cell around a centre; the cell's own faces were tried by its box. */
function crosses(p: Float64Array, x: number, y: number, z: number): boolean {
  const ax = p[0] - x;
  const ay = p[1] - y;
  const az = p[2] - z;
  const bx = p[3] - x;
  const by = p[4] - y;
  const bz = p[5] - z;
  const cx = p[6] - x;
  const cy = p[7] - y;
  const cz = p[8] - z;
  const ex = bx - ax;
  const ey = by - ay;
  const ez = bz - az;
  const fx = cx - bx;
  const fy = cy - by;
  const fz = cz - bz;
  const px = ey * fz - ez * fy;
  const py = ez * fx - ex * fz;
  const pz = ex * fy - ey * fx;
  if (Math.abs(px * ax + py * ay + pz * az) > 0.5 * (Math.abs(px) + Math.abs(py) + Math.abs(pz)))
    return false;
  return !(
    across(ex, ey, ez, ax, ay, az, bx, by, bz, cx, cy, cz) ||
    across(fx, fy, fz, ax, ay, az, bx, by, bz, cx, cy, cz) ||
    across(ax - cx, ay - cy, az - cz, ax, ay, az, bx, by, bz, cx, cy, cz)
  );
}

/** Whether an axis across the edge (dx, dy, dz) and one of the cell's parts the triangle's corners from the cell. */
function across(
  dx: number,
  dy: number,
  dz: number,
  ax: number,
  ay: number,
  az: number,
  bx: number,
  by: number,
  bz: number,
  cx: number,
  cy: number,
  cz: number,
): boolean {
  const [sx, sy, sz] = [Math.abs(dx) * 0.5, Math.abs(dy) * 0.5, Math.abs(dz) * 0.5];
  return (
    apart(dy * az - dz * ay, dy * bz - dz * by, dy * cz - dz * cy, sy + sz) ||
    apart(dz * ax - dx * az, dz * bx - dx * bz, dz * cx - dx * cz, sx + sz) ||
    apart(dx * ay - dy * ax, dx * by - dy * bx, dx * cy - dy * cx, sx + sy)
  );
}

function apart(a: number, b: number, c: number, reach: number): boolean {
  return (a > reach && b > reach && c > reach) || (a < -reach && b < -reach && c < -reach);
}
