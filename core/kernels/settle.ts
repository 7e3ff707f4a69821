// What weights are settled by: rotations about points, where neighbours want a point, and what its joints could do about it;
// four poses at a time. Twin: core/src/operations/cure/settle.ts. A point's places are three runs of `poses` floats, its
// rotations four, a joint's palettes twelve. `poses` is a multiple of four; a block is four poses.

@inline
function splat(ptr: usize): v128 { return v128.load32_splat(ptr); }

@inline
function mad(a: v128, b: v128, c: v128): v128 { return f32x4.add(f32x4.mul(a, b), c); }

// One of x, y, z of where a joint alone would put a point.
@inline
function alone(m: usize, run: usize, x: v128, y: v128, z: v128): v128 {
  return mad(x, v128.load(m), mad(y, v128.load(m + 3 * run), mad(z, v128.load(m + 6 * run), v128.load(m + 9 * run))));
}

// Below this, in rounds of three, a rotation fits.
const ENOUGH: f32 = 2e-3;

// Rotations about listed points in their blocks (Müller et al. 2016), each begun from what it was.
export function settleTurns(
  from: i32, to: i32, poses: i32, blockOffsetPtr: usize, blockPtr: usize, offsetPtr: usize, neighbourPtr: usize,
  restPtr: usize, placePtr: usize, turnPtr: usize,
): void {
  const run: usize = <usize>poses << 2;
  const zero = f32x4.splat(0);
  for (let i: usize = from; i < <usize>to; i++) {
    const first = neighbourPtr + (<usize>load<u32>(offsetPtr + (i << 2)) << 2);
    const last = neighbourPtr + (<usize>load<u32>(offsetPtr + (i << 2), 4) << 2);
    const lastBlock = blockPtr + (<usize>load<u32>(blockOffsetPtr + (i << 2), 4) << 1);
    const rx = load<f32>(restPtr + i * 12);
    const ry = load<f32>(restPtr + i * 12, 4);
    const rz = load<f32>(restPtr + i * 12, 8);
    for (let b = blockPtr + (<usize>load<u32>(blockOffsetPtr + (i << 2)) << 1); b < lastBlock; b += 2) {
      const k = <usize>load<u16>(b) << 4;
      const own = placePtr + i * 3 * run + k;
      const px = v128.load(own);
      const py = v128.load(own + run);
      const pz = v128.load(own + 2 * run);
      let a0 = zero, a1 = zero, a2 = zero, a3 = zero, a4 = zero, a5 = zero, a6 = zero, a7 = zero, a8 = zero;
      for (let n = first; n < last; n += 4) {
        const q: usize = load<u32>(n);
        const at = placePtr + q * 3 * run + k;
        const dx = f32x4.sub(v128.load(at), px);
        const dy = f32x4.sub(v128.load(at + run), py);
        const dz = f32x4.sub(v128.load(at + 2 * run), pz);
        const x = f32x4.splat(load<f32>(restPtr + q * 12) - rx);
        const y = f32x4.splat(load<f32>(restPtr + q * 12, 4) - ry);
        const z = f32x4.splat(load<f32>(restPtr + q * 12, 8) - rz);
        a0 = mad(dx, x, a0);
        a1 = mad(dy, x, a1);
        a2 = mad(dz, x, a2);
        a3 = mad(dx, y, a3);
        a4 = mad(dy, y, a4);
        a5 = mad(dz, y, a5);
        a6 = mad(dx, z, a6);
        a7 = mad(dy, z, a7);
        a8 = mad(dz, z, a8);
      }
      const turn = turnPtr + i * 4 * run + k;
      let x = v128.load(turn);
      let y = v128.load(turn + run);
      let z = v128.load(turn + 2 * run);
      let w = v128.load(turn + 3 * run);
      const one = f32x4.splat(1);
      for (let round = 0; round < 3; round++) {
        const x2 = f32x4.add(x, x);
        const y2 = f32x4.add(y, y);
        const z2 = f32x4.add(z, z);
        const xx = f32x4.mul(x, x2), yy = f32x4.mul(y, y2), zz = f32x4.mul(z, z2);
        const xy = f32x4.mul(x, y2), xz = f32x4.mul(x, z2), yz = f32x4.mul(y, z2);
        const wx = f32x4.mul(w, x2), wy = f32x4.mul(w, y2), wz = f32x4.mul(w, z2);
        const r00 = f32x4.sub(one, f32x4.add(yy, zz));
        const r10 = f32x4.add(xy, wz);
        const r20 = f32x4.sub(xz, wy);
        const r01 = f32x4.sub(xy, wz);
        const r11 = f32x4.sub(one, f32x4.add(xx, zz));
        const r21 = f32x4.add(yz, wx);
        const r02 = f32x4.add(xz, wy);
        const r12 = f32x4.sub(yz, wx);
        const r22 = f32x4.sub(one, f32x4.add(xx, yy));
        let ox = f32x4.sub(f32x4.mul(r10, a2), f32x4.mul(r20, a1));
        ox = f32x4.sub(mad(r11, a5, ox), f32x4.mul(r21, a4));
        ox = f32x4.sub(mad(r12, a8, ox), f32x4.mul(r22, a7));
        let oy = f32x4.sub(f32x4.mul(r20, a0), f32x4.mul(r00, a2));
        oy = f32x4.sub(mad(r21, a3, oy), f32x4.mul(r01, a5));
        oy = f32x4.sub(mad(r22, a6, oy), f32x4.mul(r02, a8));
        let oz = f32x4.sub(f32x4.mul(r00, a1), f32x4.mul(r10, a0));
        oz = f32x4.sub(mad(r01, a4, oz), f32x4.mul(r11, a3));
        oz = f32x4.sub(mad(r02, a7, oz), f32x4.mul(r12, a6));
        let along = mad(r00, a0, mad(r10, a1, f32x4.mul(r20, a2)));
        along = mad(r01, a3, mad(r11, a4, mad(r21, a5, along)));
        along = mad(r02, a6, mad(r12, a7, mad(r22, a8, along)));
        const square = mad(ox, ox, mad(oy, oy, f32x4.mul(oz, oz)));
        // Whether the angle is worth a turn: its tangent, or it is beyond a right angle.
        const size = f32x4.sqrt(square);
        const turned = v128.and(
          f32x4.gt(size, f32x4.max(f32x4.mul(along, f32x4.splat(ENOUGH)), zero)),
          f32x4.gt(square, zero),
        );
        if (!v128.any_true(turned)) break;
        // By half the angle: (o, along + √(|o|² + along²)), as a quaternion.
        const whole = f32x4.sqrt(mad(along, along, square));
        const ahead = f32x4.ge(along, zero);
        const qw = v128.bitselect(
          f32x4.add(along, whole), f32x4.div(square, f32x4.sub(whole, along)), ahead,
        );
        const nx = f32x4.sub(mad(ox, w, mad(oy, z, f32x4.mul(qw, x))), f32x4.mul(oz, y));
        const ny = f32x4.sub(mad(oy, w, mad(oz, x, f32x4.mul(qw, y))), f32x4.mul(ox, z));
        const nz = f32x4.sub(mad(oz, w, mad(ox, y, f32x4.mul(qw, z))), f32x4.mul(oy, x));
        const nw = f32x4.sub(
          f32x4.mul(qw, w), mad(ox, x, mad(oy, y, f32x4.mul(oz, z))),
        );
        const by = f32x4.div(one, f32x4.sqrt(mad(nx, nx, mad(ny, ny, mad(nz, nz, f32x4.mul(nw, nw))))));
        x = v128.bitselect(f32x4.mul(nx, by), x, turned);
        y = v128.bitselect(f32x4.mul(ny, by), y, turned);
        z = v128.bitselect(f32x4.mul(nz, by), z, turned);
        w = v128.bitselect(f32x4.mul(nw, by), w, turned);
      }
      v128.store(turn, x);
      v128.store(turn + run, y);
      v128.store(turn + 2 * run, z);
      v128.store(turn + 3 * run, w);
    }
  }
}

// Where the neighbours of a listed point want it, in each of its blocks; from there to where each of its joints would put it;
// and the products of these. `away` has three runs of `room` floats a joint, the wanted places after them.
export function settleAim(
  i: usize, listed: i32, poses: i32, blockOffsetPtr: usize, blockPtr: usize, offsetPtr: usize, neighbourPtr: usize,
  restPtr: usize, placePtr: usize, camePtr: usize, turnPtr: usize, hold: f32, jointPtr: usize, n: i32, positionPtr: usize,
  palettePtr: usize, awayPtr: usize, gramPtr: usize,
): void {
  const run: usize = <usize>poses << 2;
  const half = f32x4.splat(0.5);
  const two = f32x4.splat(2);
  const first = neighbourPtr + (<usize>load<u32>(offsetPtr + (i << 2)) << 2);
  const last = neighbourPtr + (<usize>load<u32>(offsetPtr + (i << 2), 4) << 2);
  const count = <f32>((last - first) >> 2);
  const firstBlock = blockPtr + (<usize>load<u32>(blockOffsetPtr + (i << 2)) << 1);
  const lastBlock = blockPtr + (<usize>load<u32>(blockOffsetPtr + (i << 2), 4) << 1);
  const rx = load<f32>(restPtr + i * 12);
  const ry = load<f32>(restPtr + i * 12, 4);
  const rz = load<f32>(restPtr + i * 12, 8);
  // What this end's rotation says, of all edges together: each counts half, or whole beyond the listed points.
  let sumX: f32 = 0, sumY: f32 = 0, sumZ: f32 = 0;
  for (let e = first; e < last; e += 4) {
    const q: usize = load<u32>(e);
    const share: f32 = q < <usize>listed ? 0.5 : 1;
    sumX += share * (rx - load<f32>(restPtr + q * 12));
    sumY += share * (ry - load<f32>(restPtr + q * 12, 4));
    sumZ += share * (rz - load<f32>(restPtr + q * 12, 8));
  }
  const sx = f32x4.splat(sumX), sy = f32x4.splat(sumY), sz = f32x4.splat(sumZ);
  const held = f32x4.splat(hold * count);
  const by = f32x4.splat(<f32>1 / (count + hold * count));
  const ax = splat(positionPtr + i * 12), ay = splat(positionPtr + i * 12 + 4), az = splat(positionPtr + i * 12 + 8);
  let slot = awayPtr;
  for (let b = firstBlock; b < lastBlock; b += 2, slot += 16) {
    const k = <usize>load<u16>(b) << 4;
    const here = i * 3 * run + k;
    let tx = f32x4.mul(held, v128.load(camePtr + here));
    let ty = f32x4.mul(held, v128.load(camePtr + here + run));
    let tz = f32x4.mul(held, v128.load(camePtr + here + 2 * run));
    for (let e = first; e < last; e += 4) {
      const q: usize = load<u32>(e);
      const at = placePtr + q * 3 * run + k;
      tx = f32x4.add(tx, v128.load(at));
      ty = f32x4.add(ty, v128.load(at + run));
      tz = f32x4.add(tz, v128.load(at + 2 * run));
      if (q >= <usize>listed) continue;
      const dx = f32x4.splat(rx - load<f32>(restPtr + q * 12));
      const dy = f32x4.splat(ry - load<f32>(restPtr + q * 12, 4));
      const dz = f32x4.splat(rz - load<f32>(restPtr + q * 12, 8));
      const turn = turnPtr + q * 4 * run + k;
      const qx = v128.load(turn), qy = v128.load(turn + run), qz = v128.load(turn + 2 * run), qw = v128.load(turn + 3 * run);
      const cx = f32x4.sub(f32x4.mul(qy, dz), f32x4.mul(qz, dy));
      const cy = f32x4.sub(f32x4.mul(qz, dx), f32x4.mul(qx, dz));
      const cz = f32x4.sub(f32x4.mul(qx, dy), f32x4.mul(qy, dx));
      // Half of d turned: d/2 + w·c + q × c.
      tx = f32x4.add(tx, f32x4.sub(mad(half, dx, mad(qw, cx, f32x4.mul(qy, cz))), f32x4.mul(qz, cy)));
      ty = f32x4.add(ty, f32x4.sub(mad(half, dy, mad(qw, cy, f32x4.mul(qz, cx))), f32x4.mul(qx, cz)));
      tz = f32x4.add(tz, f32x4.sub(mad(half, dz, mad(qw, cz, f32x4.mul(qx, cy))), f32x4.mul(qy, cx)));
    }
    const turn = turnPtr + i * 4 * run + k;
    const qx = v128.load(turn), qy = v128.load(turn + run), qz = v128.load(turn + 2 * run), qw = v128.load(turn + 3 * run);
    const cx = f32x4.mul(two, f32x4.sub(f32x4.mul(qy, sz), f32x4.mul(qz, sy)));
    const cy = f32x4.mul(two, f32x4.sub(f32x4.mul(qz, sx), f32x4.mul(qx, sz)));
    const cz = f32x4.mul(two, f32x4.sub(f32x4.mul(qx, sy), f32x4.mul(qy, sx)));
    tx = f32x4.add(tx, f32x4.sub(f32x4.add(sx, mad(qw, cx, f32x4.mul(qy, cz))), f32x4.mul(qz, cy)));
    ty = f32x4.add(ty, f32x4.sub(f32x4.add(sy, mad(qw, cy, f32x4.mul(qz, cx))), f32x4.mul(qx, cz)));
    tz = f32x4.add(tz, f32x4.sub(f32x4.add(sz, mad(qw, cz, f32x4.mul(qx, cy))), f32x4.mul(qy, cx)));
    tx = f32x4.mul(tx, by);
    ty = f32x4.mul(ty, by);
    tz = f32x4.mul(tz, by);
    lookFrom(slot, k, run, tx, ty, tz, jointPtr, n, ax, ay, az, palettePtr);
  }
  sumProducts(((lastBlock - firstBlock) >> 1) << 4, run, n, awayPtr, gramPtr);
}

// From where a point should be in a block to where each of its joints would put it; the wanted places after them.
@inline
function lookFrom(
  slot: usize, k: usize, run: usize, tx: v128, ty: v128, tz: v128, jointPtr: usize, n: i32, ax: v128, ay: v128, az: v128,
  palettePtr: usize,
): void {
  for (let c: usize = 0; c < <usize>n; c++) {
    const m = palettePtr + <usize>load<u16>(jointPtr + (c << 1)) * 12 * run + k;
    const to = slot + c * 3 * run;
    v128.store(to, f32x4.sub(alone(m, run, ax, ay, az), tx));
    v128.store(to + run, f32x4.sub(alone(m + run, run, ax, ay, az), ty));
    v128.store(to + 2 * run, f32x4.sub(alone(m + 2 * run, run, ax, ay, az), tz));
  }
  const aim = slot + <usize>n * 3 * run;
  v128.store(aim, tx);
  v128.store(aim + run, ty);
  v128.store(aim + 2 * run, tz);
}

// The products of n joints' differences, `length` bytes a run.
@inline
function sumProducts(length: usize, run: usize, n: i32, awayPtr: usize, gramPtr: usize): void {
  for (let c: usize = 0; c < <usize>n; c++) {
    for (let d: usize = 0; d <= c; d++) {
      let sum = f32x4.splat(0);
      for (let r: usize = 0; r < 3; r++) {
        const a = awayPtr + (c * 3 + r) * run;
        const o = awayPtr + (d * 3 + r) * run;
        for (let e: usize = 0; e < length; e += 16) sum = mad(v128.load(a + e), v128.load(o + e), sum);
      }
      store<f64>(gramPtr + ((c * n + d) << 3),
        <f64>f32x4.extract_lane(sum, 0) + <f64>f32x4.extract_lane(sum, 1) +
        <f64>f32x4.extract_lane(sum, 2) + <f64>f32x4.extract_lane(sum, 3));
    }
  }
}

@inline
function products(a: v128, b: v128, sum: v128): v128 { return f64x2.add(f64x2.mul(a, b), sum); }

@inline
function upper(a: v128): v128 { return f64x2.promote_low_f32x4(v128.shuffle<i32>(a, a, 2, 3, 2, 3)); }

// The same for a point whose places are told, in all poses; summed in double precision, because what is left is small against
// what it is the difference of.
export function lookProducts(
  i: usize, poses: i32, jointPtr: usize, n: i32, positionPtr: usize, palettePtr: usize, lookPtr: usize, awayPtr: usize,
  gramPtr: usize,
): void {
  const run: usize = <usize>poses << 2;
  const ax = splat(positionPtr + i * 12), ay = splat(positionPtr + i * 12 + 4), az = splat(positionPtr + i * 12 + 8);
  for (let k: usize = 0; k < run; k += 16) {
    const at = lookPtr + i * 3 * run + k;
    lookFrom(
      awayPtr + k, k, run, v128.load(at), v128.load(at + run), v128.load(at + 2 * run), jointPtr, n, ax, ay, az, palettePtr,
    );
  }
  for (let c: usize = 0; c < <usize>n; c++) {
    for (let d: usize = 0; d <= c; d++) {
      let sum = f64x2.splat(0);
      for (let r: usize = 0; r < 3; r++) {
        const a = awayPtr + (c * 3 + r) * run;
        const o = awayPtr + (d * 3 + r) * run;
        for (let e: usize = 0; e < run; e += 16) {
          const p = v128.load(a + e);
          const q = v128.load(o + e);
          sum = products(f64x2.promote_low_f32x4(p), f64x2.promote_low_f32x4(q), sum);
          sum = products(upper(p), upper(q), sum);
        }
      }
      store<f64>(gramPtr + ((c * n + d) << 3), f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1));
    }
  }
}

// A listed point's places by its joints' weights, in its blocks.
export function settlePlace(
  i: usize, poses: i32, blockOffsetPtr: usize, blockPtr: usize, jointPtr: usize, weightPtr: usize, n: i32, positionPtr: usize,
  palettePtr: usize, placePtr: usize,
): void {
  const run: usize = <usize>poses << 2;
  const ax = splat(positionPtr + i * 12), ay = splat(positionPtr + i * 12 + 4), az = splat(positionPtr + i * 12 + 8);
  const lastBlock = blockPtr + (<usize>load<u32>(blockOffsetPtr + (i << 2), 4) << 1);
  for (let b = blockPtr + (<usize>load<u32>(blockOffsetPtr + (i << 2)) << 1); b < lastBlock; b += 2) {
    const k = <usize>load<u16>(b) << 4;
    let x = f32x4.splat(0), y = x, z = x;
    for (let c: usize = 0; c < <usize>n; c++) {
      const weight = <f32>load<f64>(weightPtr + (c << 3));
      if (weight == 0) continue;
      const w = f32x4.splat(weight);
      const m = palettePtr + <usize>load<u16>(jointPtr + (c << 1)) * 12 * run + k;
      x = mad(w, alone(m, run, ax, ay, az), x);
      y = mad(w, alone(m + run, run, ax, ay, az), y);
      z = mad(w, alone(m + 2 * run, run, ax, ay, az), z);
    }
    const to = placePtr + i * 3 * run + k;
    v128.store(to, x);
    v128.store(to + run, y);
    v128.store(to + 2 * run, z);
  }
}

// Places of all points by their rows, in all poses; at rest without weight.
export function settleRows(
  count: i32, poses: i32, jointPtr: usize, valuePtr: usize, stride: i32, positionPtr: usize, restPtr: usize, palettePtr: usize,
  placePtr: usize,
): void {
  const run: usize = <usize>poses << 2;
  for (let i: usize = 0; i < <usize>count; i++) {
    const joints = jointPtr + ((i * stride) << 1);
    const values = valuePtr + ((i * stride) << 2);
    const isFree = load<f32>(values) == 0;
    const ax = splat(positionPtr + i * 12), ay = splat(positionPtr + i * 12 + 4), az = splat(positionPtr + i * 12 + 8);
    for (let k: usize = 0; k < run; k += 16) {
      let x = f32x4.splat(0), y = x, z = x;
      if (isFree) {
        x = splat(restPtr + i * 12);
        y = splat(restPtr + i * 12 + 4);
        z = splat(restPtr + i * 12 + 8);
      }
      for (let c: usize = 0; c < <usize>stride; c++) {
        const weight = load<f32>(values + (c << 2));
        if (weight == 0) break;
        const w = f32x4.splat(weight);
        const m = palettePtr + <usize>load<u16>(joints + (c << 1)) * 12 * run + k;
        x = mad(w, alone(m, run, ax, ay, az), x);
        y = mad(w, alone(m + run, run, ax, ay, az), y);
        z = mad(w, alone(m + 2 * run, run, ax, ay, az), z);
      }
      const to = placePtr + i * 3 * run + k;
      v128.store(to, x);
      v128.store(to + run, y);
      v128.store(to + 2 * run, z);
    }
  }
}

// By pose, how far the first points are from rest, together.
export function settleMoved(count: i32, poses: i32, restPtr: usize, placePtr: usize, sumPtr: usize): void {
  const run: usize = <usize>poses << 2;
  for (let k: usize = 0; k < run; k += 16) {
    let low = f64x2.splat(0), high = low;
    for (let i: usize = 0; i < <usize>count; i++) {
      const at = placePtr + i * 3 * run + k;
      const x = f32x4.sub(v128.load(at), splat(restPtr + i * 12));
      const y = f32x4.sub(v128.load(at + run), splat(restPtr + i * 12 + 4));
      const z = f32x4.sub(v128.load(at + 2 * run), splat(restPtr + i * 12 + 8));
      const far = f32x4.sqrt(mad(x, x, mad(y, y, f32x4.mul(z, z))));
      low = f64x2.add(low, f64x2.promote_low_f32x4(far));
      high = f64x2.add(high, f64x2.promote_low_f32x4(v128.shuffle<i32>(far, far, 2, 3, 2, 3)));
    }
    v128.store(sumPtr + (k << 1), low);
    v128.store(sumPtr + (k << 1) + 16, high);
  }
}
