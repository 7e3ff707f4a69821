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

/** Empty cells around the box, so that the outside is one piece. */
const MARGIN = 2;

export interface Box {
  readonly least: [number, number, number];
  readonly most: [number, number, number];
}

/** The box around all points that triangles use. */
export function boxOfTriangles(positions: Float32Array, triangles: Uint32Array): Box {
  const used = new Uint8Array(positions.length / 3);
  for (let i = 0; i < triangles.length; i++) used[triangles[i]] = 1;
  let [x0, y0, z0] = [Infinity, Infinity, Infinity];
  let [x1, y1, z1] = [-Infinity, -Infinity, -Infinity];
  for (let p = 0; p < used.length; p++) {
    if (used[p] === 0) continue;
    const x = positions[p * 3];
    const y = positions[p * 3 + 1];
    const z = positions[p * 3 + 2];
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
    if (z < z0) z0 = z;
    if (z > z1) z1 = z;
  }
  return { least: [x0, y0, z0], most: [x1, y1, z1] };
}

/**
 * Fills a triangle soup, closed or torn, in cells of `size`.
 *
 * Along each axis the surface is crossed by one line a row of cells; the signed crossings give the winding number from
 * both ends (Nooruddin & Turk 2003, "Simplification and repair of polygonal models", use parity; winding also takes
 * doubled and nested surfaces). A cell is inside when at least four of the six ways of asking say so, which carries over
 * holes that only some of the lines meet.
 */
export function voxelize(
  positions: Float32Array,
  triangles: Uint32Array,
  size: number,
  { least, most }: Box = boxOfTriangles(positions, triangles),
): VoxelGrid {
  const counts = least.map((low, k) => 2 * (Math.ceil((most[k] - low) / size / 2) + MARGIN));
  const [nx, ny, nz] = counts;
  const origin = least.map((low, k) => (low + most[k]) / 2 - (counts[k] / 2) * size) as [
    number,
    number,
    number,
  ];
  const votes = new Uint8Array(nx * ny * nz);
  const winding = new Int16Array(nx * ny * nz);
  const halves = cellsOfPoints(positions, origin, size, 0.5);
  for (let axis = 0; axis < 3; axis++) {
    winding.fill(0);
    crossRows(positions, triangles, axis, counts, origin, size, halves, winding);
    vote(winding, axis, counts, votes);
  }
  const solid = new Uint8Array(nx * ny * nz);
  for (let i = 0; i < solid.length; i++) if (votes[i] >= 4) solid[i] = INSIDE;
  const grid: VoxelGrid = { nx, ny, nz, size, origin, solid };
  const scratch = new Float64Array(9);
  const cells = cellsOfPoints(positions, origin, size, 0);
  for (let t = 0; t < triangles.length; t += 3) {
    const a = triangles[t] * 3;
    const b = triangles[t + 1] * 3;
    const c = triangles[t + 2] * 3;
    const [x, y, z] = [cells[a], cells[a + 1], cells[a + 2]];
    // In a coarse grid nearly every triangle lies in one cell.
    const alone =
      x === cells[b] &&
      x === cells[c] &&
      y === cells[b + 1] &&
      y === cells[c + 1] &&
      z === cells[b + 2] &&
      z === cells[c + 2];
    if (!alone) markShell(grid, positions, triangles, t, scratch);
    else if (solid[(z * ny + y) * nx + x] === 0) solid[(z * ny + y) * nx + x] = SHELL;
  }
  return grid;
}

/** The cell of every point along each axis, after a shift by so many cells: Int16Array, 3·pointCount. */
function cellsOfPoints(
  positions: Float32Array,
  origin: readonly number[],
  size: number,
  shift: number,
): Int16Array {
  const cells = new Int16Array(positions.length);
  const inverse = 1 / size;
  const [ox, oy, oz] = origin;
  for (let i = 0; i < positions.length; i += 3) {
    cells[i] = Math.floor((positions[i] - ox) * inverse - shift);
    cells[i + 1] = Math.floor((positions[i + 1] - oy) * inverse - shift);
    cells[i + 2] = Math.floor((positions[i + 2] - oz) * inverse - shift);
  }
  return cells;
}

/** Steps between neighbouring cells along each axis. */
const stepsOf = ([nx, ny]: readonly number[]): [number, number, number] => [1, nx, nx * ny];

/** Notes the sign of each crossing at the first cell whose centre lies behind it, for every row along `axis`. */
function crossRows(
  positions: Float32Array,
  triangles: Uint32Array,
  axis: number,
  counts: readonly number[],
  origin: readonly number[],
  size: number,
  halves: Int16Array,
  winding: Int16Array,
): void {
  const steps = stepsOf(counts);
  const [u, v] = [(axis + 1) % 3, (axis + 2) % 3];
  const inverse = 1 / size;
  for (let t = 0; t < triangles.length; t += 3) {
    // 1. Corners in cells, measured from the centre of the first one.
    const a = triangles[t] * 3;
    const b = triangles[t + 1] * 3;
    const c = triangles[t + 2] * 3;
    // No row's line lies between corners of one half cell; a corner on a line counts as behind it, and is looked at.
    const hu = halves[a + u];
    if (
      hu === halves[b + u] &&
      hu === halves[c + u] &&
      !onLine(positions, a + u, b + u, c + u, origin[u], inverse)
    )
      continue;
    const hv = halves[a + v];
    if (
      hv === halves[b + v] &&
      hv === halves[c + v] &&
      !onLine(positions, a + v, b + v, c + v, origin[v], inverse)
    )
      continue;
    const au = (positions[a + u] - origin[u]) * inverse - 0.5;
    const av = (positions[a + v] - origin[v]) * inverse - 0.5;
    const bu = (positions[b + u] - origin[u]) * inverse - 0.5;
    const bv = (positions[b + v] - origin[v]) * inverse - 0.5;
    const cu = (positions[c + u] - origin[u]) * inverse - 0.5;
    const cv = (positions[c + v] - origin[v]) * inverse - 0.5;
    const u0 = Math.max(0, Math.ceil(Math.min(au, bu, cu)));
    const u1 = Math.min(counts[u] - 1, Math.floor(Math.max(au, bu, cu)));
    const v0 = Math.max(0, Math.ceil(Math.min(av, bv, cv)));
    const v1 = Math.min(counts[v] - 1, Math.floor(Math.max(av, bv, cv)));
    if (u0 > u1 || v0 > v1) continue;
    const area = (bu - au) * (cv - av) - (bv - av) * (cu - au);
    if (area === 0) continue;
    const sign = area > 0 ? 1 : -1;
    const aw = (positions[a + axis] - origin[axis]) * inverse - 0.5;
    const bw = (positions[b + axis] - origin[axis]) * inverse - 0.5;
    const cw = (positions[c + axis] - origin[axis]) * inverse - 0.5;
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

/** Whether a corner lies on the centre line of a row. */
function onLine(
  positions: Float32Array,
  a: number,
  b: number,
  c: number,
  origin: number,
  inverse: number,
): boolean {
  const x = (positions[a] - origin) * inverse - 0.5;
  const y = (positions[b] - origin) * inverse - 0.5;
  const z = (positions[c] - origin) * inverse - 0.5;
  return Math.floor(x) === x || Math.floor(y) === y || Math.floor(z) === z;
}

function edge(pu: number, pv: number, qu: number, qv: number, x: number, y: number): number {
  return (qu - pu) * (y - pv) - (qv - pv) * (x - pu);
}

/** The fill rule: of two triangles along an edge, the one on whose left it runs down or along. */
function owns(du: number, dv: number): boolean {
  return dv < 0 || (dv === 0 && du > 0);
}

function vote(winding: Int16Array, axis: number, counts: readonly number[], votes: Uint8Array): void {
  const steps = stepsOf(counts);
  const [u, v] = [(axis + 1) % 3, (axis + 2) % 3];
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

/** Marks the cells that a triangle passes through (separating axes: Akenine-Möller 2001). `p` is scratch for nine. */
function markShell(
  grid: VoxelGrid,
  positions: Float32Array,
  triangles: Uint32Array,
  t: number,
  p: Float64Array,
): void {
  const { nx, ny, size, origin, solid } = grid;
  const inverse = 1 / size;
  for (let c = 0; c < 3; c++) {
    const at = triangles[t + c] * 3;
    p[c * 3] = (positions[at] - origin[0]) * inverse;
    p[c * 3 + 1] = (positions[at + 1] - origin[1]) * inverse;
    p[c * 3 + 2] = (positions[at + 2] - origin[2]) * inverse;
  }
  // The margin keeps every cell of the surface inside the grid.
  const x0 = Math.floor(Math.min(p[0], p[3], p[6]));
  const x1 = Math.floor(Math.max(p[0], p[3], p[6]));
  const y0 = Math.floor(Math.min(p[1], p[4], p[7]));
  const y1 = Math.floor(Math.max(p[1], p[4], p[7]));
  const z0 = Math.floor(Math.min(p[2], p[5], p[8]));
  const z1 = Math.floor(Math.max(p[2], p[5], p[8]));
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
