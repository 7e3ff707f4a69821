// A triangle soup against a grid of cells. Twin: core/src/spatial/voxels.ts, equal to the bit (all places in f64).

@inline
function edge(pu: f64, pv: f64, qu: f64, qv: f64, x: f64, y: f64): f64 {
  return (qu - pu) * (y - pv) - (qv - pv) * (x - pu);
}

// The fill rule: of two triangles along an edge, the one on whose left it runs down or along.
@inline
function owns(du: f64, dv: f64): bool { return dv < 0 || (dv == 0 && du > 0); }

@inline
function least3(a: f64, b: f64, c: f64): f64 {
  const ab = b < a ? b : a;
  return c < ab ? c : ab;
}
@inline
function most3(a: f64, b: f64, c: f64): f64 {
  const ab = b > a ? b : a;
  return c > ab ? c : ab;
}

// Notes the sign of each crossing of a triangle with the rows along axis w, at the first cell whose centre lies behind it;
// an edge belongs to one of its two triangles. Corners are in cells, measured from the centre of the first one; n… are the
// counts of cells, s… the steps between neighbouring cells.
function crossRows(
  au: f64, av: f64, aw: f64, bu: f64, bv: f64, bw: f64, cu: f64, cv: f64, cw: f64,
  nu: i32, nv: i32, nw: i32, su: i32, sv: i32, sw: i32, windingPtr: usize,
): void {
  const u0 = max<f64>(0, ceil(least3(au, bu, cu))), u1 = min<f64>(nu - 1, floor(most3(au, bu, cu)));
  const v0 = max<f64>(0, ceil(least3(av, bv, cv))), v1 = min<f64>(nv - 1, floor(most3(av, bv, cv)));
  const area = (bu - au) * (cv - av) - (bv - av) * (cu - au);
  if (area == 0) return;
  const sign: f64 = area > 0 ? 1 : -1;
  for (let y = v0; y <= v1; y++) {
    for (let x = u0; x <= u1; x++) {
      const ea = edge(bu, bv, cu, cv, x, y) * sign;
      const eb = edge(cu, cv, au, av, x, y) * sign;
      const ec = edge(au, av, bu, bv, x, y) * sign;
      if (ea < 0 || eb < 0 || ec < 0) continue;
      if (ea == 0 && !owns((cu - bu) * sign, (cv - bv) * sign)) continue;
      if (eb == 0 && !owns((au - cu) * sign, (av - cv) * sign)) continue;
      if (ec == 0 && !owns((bu - au) * sign, (bv - av) * sign)) continue;
      const depth = (ea * aw + eb * bw + ec * cw) / (ea + eb + ec);
      const first = max<f64>(0, ceil(depth));
      if (!(first < <f64>nw)) continue;
      const at = windingPtr + (<usize>(<i32>x * su + <i32>y * sv + <i32>first * sw) << 1);
      store<i16>(at, load<i16>(at) - <i16>sign);
    }
  }
}

@inline
function apart(a: f64, b: f64, c: f64, reach: f64): bool {
  return (a > reach && b > reach && c > reach) || (a < -reach && b < -reach && c < -reach);
}

// Whether an axis across the edge (dx, dy, dz) and one of the cell's parts the triangle's corners from the cell.
function across(
  dx: f64, dy: f64, dz: f64, ax: f64, ay: f64, az: f64, bx: f64, by: f64, bz: f64, cx: f64, cy: f64, cz: f64,
): bool {
  const sx = abs(dx) * 0.5, sy = abs(dy) * 0.5, sz = abs(dz) * 0.5;
  return (
    apart(dy * az - dz * ay, dy * bz - dz * by, dy * cz - dz * cy, sy + sz) ||
    apart(dz * ax - dx * az, dz * bx - dx * bz, dz * cx - dx * cz, sx + sz) ||
    apart(dx * ay - dy * ax, dx * by - dy * bx, dx * cy - dy * cx, sx + sy)
  );
}

// Whether a triangle, its corners measured from a unit cell's centre, meets the cell; the box was tried before.
function crosses(ax: f64, ay: f64, az: f64, bx: f64, by: f64, bz: f64, cx: f64, cy: f64, cz: f64): bool {
  const ex = bx - ax, ey = by - ay, ez = bz - az;
  const fx = cx - bx, fy = cy - by, fz = cz - bz;
  const px = ey * fz - ez * fy, py = ez * fx - ex * fz, pz = ex * fy - ey * fx;
  if (abs(px * ax + py * ay + pz * az) > 0.5 * (abs(px) + abs(py) + abs(pz))) return false;
  return !(
    across(ex, ey, ez, ax, ay, az, bx, by, bz, cx, cy, cz) ||
    across(fx, fy, fz, ax, ay, az, bx, by, bz, cx, cy, cz) ||
    across(ax - cx, ay - cy, az - cz, ax, ay, az, bx, by, bz, cx, cy, cz)
  );
}

// The cells that a triangle passes through, of those from (x0, y0, z0) to (x1, y1, z1): marked where nothing is marked yet.
// Its corners are in cells.
@inline
function markShell(
  ax: f64, ay: f64, az: f64, bx: f64, by: f64, bz: f64, cx: f64, cy: f64, cz: f64,
  x0: i32, y0: i32, z0: i32, x1: i32, y1: i32, z1: i32, nx: i32, ny: i32, solidPtr: usize, mark: i32,
): void {
  for (let z = z0; z <= z1; z++) {
    for (let y = y0; y <= y1; y++) {
      for (let x = x0; x <= x1; x++) {
        const at = solidPtr + <usize>((z * ny + y) * nx + x);
        if (load<u8>(at) != 0) continue;
        const mx = <f64>x + 0.5, my = <f64>y + 0.5, mz = <f64>z + 0.5;
        if (crosses(ax - mx, ay - my, az - mz, bx - mx, by - my, bz - mz, cx - mx, cy - my, cz - mz)) store<u8>(at, <u8>mark);
      }
    }
  }
}

// Places of points in cells, measured from the middle of the grid, four numbers each: mirrored points get mirrored ones.
export function placeInCells(
  positionPtr: usize, pointCount: i32, placePtr: usize, mx: f64, my: f64, mz: f64, inverse: f64,
): void {
  for (let i: usize = 0; i < <usize>pointCount; i++) {
    const at = positionPtr + i * 12, place = placePtr + (i << 4);
    store<f32>(place, <f32>((<f64>load<f32>(at) - mx) * inverse));
    store<f32>(place, <f32>((<f64>load<f32>(at, 4) - my) * inverse), 4);
    store<f32>(place, <f32>((<f64>load<f32>(at, 8) - mz) * inverse), 8);
  }
}

// Crossings of all triangles with the rows along the three axes, and the cells that they pass through. Which of them
// needs a closer look is found without a branch: most lie in one cell, and between two lines. Half of the counts, which
// are even, lead from the middle of the grid to its first cell.
export function crossTriangles(
  placePtr: usize, trianglePtr: usize, triangleCount: i32, windingX: usize, windingY: usize, windingZ: usize,
  solidPtr: usize, mark: i32, nx: i32, ny: i32, nz: i32,
): void {
  const sy = nx, sz = nx * ny;
  const hx = <f64>nx / 2, hy = <f64>ny / 2, hz = <f64>nz / 2;
  const half = f32x4.splat(0.5);
  for (let t: usize = trianglePtr, end = trianglePtr + <usize>triangleCount * 12; t < end; t += 12) {
    const pa = v128.load(placePtr + (<usize>load<u32>(t) << 4));
    const pb = v128.load(placePtr + (<usize>load<u32>(t, 4) << 4));
    const pc = v128.load(placePtr + (<usize>load<u32>(t, 8) << 4));
    const low = f32x4.pmin(f32x4.pmin(pa, pb), pc), high = f32x4.pmax(f32x4.pmax(pa, pb), pc);
    const from = i32x4.trunc_sat_f32x4_s(f32x4.floor(low)), to = i32x4.trunc_sat_f32x4_s(f32x4.floor(high));
    const spread = i32x4.bitmask(i32x4.ne(from, to)) & 7;
    const x0 = i32x4.extract_lane(from, 0) + (nx >> 1), y0 = i32x4.extract_lane(from, 1) + (ny >> 1), z0 = i32x4.extract_lane(from, 2) + (nz >> 1);
    // Lanes that some row's line lies in; a row is crossed where both others hold one.
    const lines = i32x4.bitmask(f32x4.le(f32x4.ceil(f32x4.sub(low, half)), f32x4.floor(f32x4.sub(high, half)))) & 7;
    if (spread == 0) {
      const at = solidPtr + <usize>((z0 * ny + y0) * nx + x0);
      if (load<u8>(at) == 0) store<u8>(at, <u8>mark);
    }
    if (spread == 0 && (lines & (lines - 1)) == 0) continue;
    const ax = <f64>f32x4.extract_lane(pa, 0) + hx, ay = <f64>f32x4.extract_lane(pa, 1) + hy, az = <f64>f32x4.extract_lane(pa, 2) + hz;
    const bx = <f64>f32x4.extract_lane(pb, 0) + hx, by = <f64>f32x4.extract_lane(pb, 1) + hy, bz = <f64>f32x4.extract_lane(pb, 2) + hz;
    const cx = <f64>f32x4.extract_lane(pc, 0) + hx, cy = <f64>f32x4.extract_lane(pc, 1) + hy, cz = <f64>f32x4.extract_lane(pc, 2) + hz;
    if (spread != 0) {
      const x1 = i32x4.extract_lane(to, 0) + (nx >> 1), y1 = i32x4.extract_lane(to, 1) + (ny >> 1), z1 = i32x4.extract_lane(to, 2) + (nz >> 1);
      markShell(ax, ay, az, bx, by, bz, cx, cy, cz, x0, y0, z0, x1, y1, z1, nx, ny, solidPtr, mark);
    }
    if ((lines & 6) == 6) crossRows(ay - 0.5, az - 0.5, ax - 0.5, by - 0.5, bz - 0.5, bx - 0.5, cy - 0.5, cz - 0.5, cx - 0.5, ny, nz, nx, sy, sz, 1, windingX);
    if ((lines & 5) == 5) crossRows(az - 0.5, ax - 0.5, ay - 0.5, bz - 0.5, bx - 0.5, by - 0.5, cz - 0.5, cx - 0.5, cy - 0.5, nz, nx, ny, sz, 1, sy, windingY);
    if ((lines & 3) == 3) crossRows(ax - 0.5, ay - 0.5, az - 0.5, bx - 0.5, by - 0.5, bz - 0.5, cx - 0.5, cy - 0.5, cz - 0.5, nx, ny, nz, 1, sy, sz, windingZ);
  }
}

let x0: f64 = 0, y0: f64 = 0, z0: f64 = 0, x1: f64 = 0, y1: f64 = 0, z1: f64 = 0;

@inline
function widen(x: f64, y: f64, z: f64): void {
  if (x < x0) x0 = x;
  if (x > x1) x1 = x;
  if (y < y0) y0 = y;
  if (y > y1) y1 = y;
  if (z < z0) z0 = z;
  if (z > z1) z1 = z;
}

// The box of the triangles, their signed volume (as if closed) and their area: eight numbers. Volumes are measured from
// the first corner, so that a mesh far from the origin does not lose its figures.
export function measureSoup(positionPtr: usize, trianglePtr: usize, triangleCount: i32, outPtr: usize): void {
  x0 = y0 = z0 = Infinity;
  x1 = y1 = z1 = -Infinity;
  let volume: f64 = 0, area: f64 = 0;
  const first = positionPtr + <usize>load<u32>(trianglePtr) * 12;
  const ox = <f64>load<f32>(first), oy = <f64>load<f32>(first, 4), oz = <f64>load<f32>(first, 8);
  for (let t = trianglePtr, end = trianglePtr + <usize>triangleCount * 12; t < end; t += 12) {
    const a = positionPtr + <usize>load<u32>(t) * 12, b = positionPtr + <usize>load<u32>(t, 4) * 12, c = positionPtr + <usize>load<u32>(t, 8) * 12;
    const px = <f64>load<f32>(a), py = <f64>load<f32>(a, 4), pz = <f64>load<f32>(a, 8);
    const qx = <f64>load<f32>(b), qy = <f64>load<f32>(b, 4), qz = <f64>load<f32>(b, 8);
    const rx = <f64>load<f32>(c), ry = <f64>load<f32>(c, 4), rz = <f64>load<f32>(c, 8);
    widen(px, py, pz);
    widen(qx, qy, qz);
    widen(rx, ry, rz);
    const ax = px - ox, ay = py - oy, az = pz - oz;
    const ux = qx - px, uy = qy - py, uz = qz - pz;
    const vx = rx - px, vy = ry - py, vz = rz - pz;
    const nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx;
    volume += (ax * nx + ay * ny + az * nz) / 6;
    area += sqrt(nx * nx + ny * ny + nz * nz) / 2;
  }
  store<f64>(outPtr, x0);
  store<f64>(outPtr, y0, 8);
  store<f64>(outPtr, z0, 16);
  store<f64>(outPtr, x1, 24);
  store<f64>(outPtr, y1, 32);
  store<f64>(outPtr, z1, 40);
  store<f64>(outPtr, abs(volume), 48);
  store<f64>(outPtr, area, 56);
}

// Each row's winding from both ends: a vote for every cell that either finds inside. Axes u and v lie across w.
export function castVotes(windingPtr: usize, votePtr: usize, nu: i32, nv: i32, nw: i32, su: i32, sv: i32, sw: i32): void {
  for (let v = 0; v < nv; v++) {
    for (let u = 0; u < nu; u++) {
      const row = u * su + v * sv;
      let total = 0;
      for (let w = 0, i = row; w < nw; w++, i += sw) total += load<i16>(windingPtr + (<usize>i << 1));
      let before = 0;
      for (let w = 0, i = row; w < nw; w++, i += sw) {
        before += load<i16>(windingPtr + (<usize>i << 1));
        const at = votePtr + <usize>i;
        if (before != 0) store<u8>(at, load<u8>(at) + 1);
        if (total - before != 0) store<u8>(at, load<u8>(at) + 1);
      }
    }
  }
}

// Cells with enough votes are inside.
export function countVotes(votePtr: usize, solidPtr: usize, cellCount: i32, enough: i32, mark: i32): void {
  for (let i: usize = 0; i < <usize>cellCount; i++) if (load<u8>(votePtr + i) >= <u8>enough) store<u8>(solidPtr + i, <u8>mark);
}

// See measureDepth in the twin: steps back to thirteen neighbours and their lengths.
export function measureDepth(
  solidPtr: usize, depthPtr: usize, cellCount: i32, inside: i32, edge: i32, stepPtr: usize, lengthPtr: usize, half: f64,
): void {
  for (let i: usize = 0; i < <usize>cellCount; i++)
    store<f32>(depthPtr + (i << 2), load<u8>(solidPtr + i) == <u8>inside ? Infinity : 0);
  for (let pass = 0; pass < 2; pass++) {
    const direction = pass == 0 ? 1 : -1;
    const last = pass == 0 ? cellCount - edge : edge - 1;
    for (let i = pass == 0 ? edge : cellCount - edge - 1; i != last; i += direction) {
      const at = depthPtr + (<usize>i << 2);
      if (load<f32>(at) == 0) continue;
      let least = <f64>load<f32>(at);
      for (let k: usize = 0; k < 13; k++) {
        const n = i + load<i32>(stepPtr + (k << 2)) * direction;
        const other = <f64>load<f32>(depthPtr + (<usize>n << 2)) + load<f64>(lengthPtr + (k << 3));
        if (other < least) least = other;
      }
      store<f32>(at, <f32>least);
    }
  }
  for (let i: usize = 0; i < <usize>cellCount; i++) {
    const at = depthPtr + (i << 2);
    if (load<f32>(at) > 0) store<f32>(at, <f32>(<f64>load<f32>(at) - half));
  }
}
