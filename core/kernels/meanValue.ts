// Mean value coordinates. Twin: core/src/deform/follow/meanValue.ts, equal to the bit; two places at a time, one a lane.

const ON_FACE: f64 = 1e-6;
const EDGE_ON: f64 = 1e-12;
const NEAR_PLANE: f64 = 0.01;
const WIDE: f64 = 2.4;
const OPPOSITE: f64 = 1e-14;

let isOnFirst: bool = false, isOnSecond: bool = false;

@inline
function pair(a: f64, b: f64): v128 { return f64x2.replace_lane(f64x2.splat(a), 1, b); }

export function writeCoordinates(
  placePtr: usize, count: i32, tiny: f64, positionPtr: usize, pointCount: i32, edgePtr: usize, edgeCount: i32,
  trianglePtr: usize, faceCount: i32, sidePtr: usize, directionPtr: usize, nearnessPtr: usize, sumPtr: usize,
  scalePtr: usize, outPtr: usize,
): void {
  for (let p = 0; p < count; p += 2) {
    const a = placePtr + <usize>p * 12;
    // The last one stands for two.
    const b = p + 1 < count ? a + 12 : a;
    isOnFirst = isOnSecond = false;
    look(
      pair(<f64>load<f32>(a), <f64>load<f32>(b)),
      pair(<f64>load<f32>(a, 4), <f64>load<f32>(b, 4)),
      pair(<f64>load<f32>(a, 8), <f64>load<f32>(b, 8)),
      tiny, positionPtr, pointCount, directionPtr, nearnessPtr,
    );
    lookAtEdges(edgePtr, edgeCount, directionPtr, scalePtr);
    memory.fill(sumPtr, 0, <usize>pointCount << 4);
    addFaces(trianglePtr, faceCount, sidePtr, directionPtr, scalePtr, sumPtr);
    const out = outPtr + <usize>p * <usize>pointCount * 4;
    writeRows(pointCount, nearnessPtr, sumPtr, out, p + 1 < count ? out + (<usize>pointCount << 2) : out);
    if (isOnFirst) store<f32>(out, NaN);
    if (isOnSecond && p + 1 < count) store<f32>(out + (<usize>pointCount << 2), NaN);
  }
}

function look(
  x: v128, y: v128, z: v128, tiny: f64, positionPtr: usize, pointCount: i32, directionPtr: usize, nearnessPtr: usize,
): void {
  for (let p: usize = 0; p < <usize>pointCount; p++) {
    const at = positionPtr + p * 12, to = directionPtr + p * 48;
    const dx = f64x2.sub(f64x2.splat(<f64>load<f32>(at)), x);
    const dy = f64x2.sub(f64x2.splat(<f64>load<f32>(at, 4)), y);
    const dz = f64x2.sub(f64x2.splat(<f64>load<f32>(at, 8)), z);
    const far = f64x2.sqrt(f64x2.add(f64x2.add(f64x2.mul(dx, dx), f64x2.mul(dy, dy)), f64x2.mul(dz, dz)));
    if (f64x2.extract_lane(far, 0) < tiny) isOnFirst = true;
    if (f64x2.extract_lane(far, 1) < tiny) isOnSecond = true;
    const inverse = f64x2.div(f64x2.splat(1), far);
    v128.store(nearnessPtr + (p << 4), inverse);
    v128.store(to, f64x2.mul(dx, inverse));
    v128.store(to, f64x2.mul(dy, inverse), 16);
    v128.store(to, f64x2.mul(dz, inverse), 32);
  }
}

function lookAtEdges(edgePtr: usize, edgeCount: i32, directionPtr: usize, scalePtr: usize): void {
  for (let e: usize = 0; e < <usize>edgeCount; e++) {
    const a = directionPtr + <usize>load<u32>(edgePtr + (e << 3)) * 48;
    const b = directionPtr + <usize>load<u32>(edgePtr + (e << 3), 4) * 48;
    const cosine = dot(v128.load(a), v128.load(a, 16), v128.load(a, 32), v128.load(b), v128.load(b, 16), v128.load(b, 32));
    v128.store(scalePtr + (e << 4), angleOverSine(cosine));
  }
}

@inline
function step(sum: v128, t: v128, next: f64): v128 { return f64x2.add(f64x2.mul(sum, t), f64x2.splat(next)); }

@inline
function angleOverSine(cosine: v128): v128 {
  const x = f64x2.abs(cosine);
  const t = f64x2.sub(f64x2.mul(f64x2.splat(2), x), f64x2.splat(1));
  let sum = f64x2.splat(0.0000689596399734);
  sum = step(sum, t, -0.000213703378471);
  sum = step(sum, t, 0.000530057624264);
  sum = step(sum, t, -0.00173783679807);
  sum = step(sum, t, 0.00586703709667);
  sum = step(sum, t, -0.0198471546249);
  sum = step(sum, t, 0.0697325042766);
  sum = step(sum, t, -0.263599378676);
  sum = step(sum, t, 1.20919959007);
  const isBehind = f64x2.lt(cosine, f64x2.splat(0));
  if (!v128.any_true(isBehind)) return sum;
  const sine = f64x2.sqrt(f64x2.pmax(f64x2.splat(OPPOSITE), f64x2.sub(f64x2.splat(1), f64x2.mul(x, x))));
  return v128.bitselect(f64x2.sub(f64x2.div(f64x2.splat(Math.PI), sine), sum), sum, isBehind);
}

@inline
function dot(ax: v128, ay: v128, az: v128, bx: v128, by: v128, bz: v128): v128 {
  return f64x2.add(f64x2.add(f64x2.mul(ax, bx), f64x2.mul(ay, by)), f64x2.mul(az, bz));
}

@inline
function mix(a: v128, b: v128, c: v128, ax: v128, bx: v128, cx: v128): v128 {
  return f64x2.add(f64x2.add(f64x2.mul(a, ax), f64x2.mul(b, bx)), f64x2.mul(c, cx));
}

@inline
function add(at: usize, by: v128): void { v128.store(at, f64x2.add(v128.load(at), by)); }

@inline
function angle(scale: v128, x: v128, y: v128, z: v128): v128 {
  return f64x2.mul(scale, f64x2.sqrt(dot(x, y, z, x, y, z)));
}

@inline
function less(a: v128, b: v128, c: v128, d: v128): v128 { return f64x2.sub(f64x2.mul(a, b), f64x2.mul(c, d)); }

// The sides of a face are planes through the place: a, b and c are across them, as the face is run.
function addFaces(
  trianglePtr: usize, faceCount: i32, sidePtr: usize, directionPtr: usize, scalePtr: usize, sumPtr: usize,
): void {
  const near = f64x2.splat(NEAR_PLANE);
  for (let t: usize = 0; t < <usize>faceCount; t++) {
    const corner = trianglePtr + t * 12, side = sidePtr + t * 12;
    const p: usize = load<u32>(corner), q: usize = load<u32>(corner, 4), r: usize = load<u32>(corner, 8);
    const first = directionPtr + p * 48, second = directionPtr + q * 48, third = directionPtr + r * 48;
    const px = v128.load(first), py = v128.load(first, 16), pz = v128.load(first, 32);
    const qx = v128.load(second), qy = v128.load(second, 16), qz = v128.load(second, 32);
    const rx = v128.load(third), ry = v128.load(third, 16), rz = v128.load(third, 32);
    const ax = less(py, qz, pz, qy), ay = less(pz, qx, px, qz), az = less(px, qy, py, qx);
    const bx = less(qy, rz, qz, ry), by = less(qz, rx, qx, rz), bz = less(qx, ry, qy, rx);
    const cx = less(ry, pz, rz, py), cy = less(rz, px, rx, pz), cz = less(rx, py, ry, px);
    const e0 = v128.load(scalePtr + (<usize>load<u32>(side) << 4));
    const e1 = v128.load(scalePtr + (<usize>load<u32>(side, 4) << 4));
    const e2 = v128.load(scalePtr + (<usize>load<u32>(side, 8) << 4));
    const volume = dot(bx, by, bz, px, py, pz);
    const size = f64x2.abs(volume);
    const widest = f64x2.pmax(f64x2.pmax(e0, e1), e2);
    const mayBeOn = v128.and(f64x2.lt(size, near), f64x2.lt(f64x2.splat(WIDE), widest));
    if (v128.any_true(mayBeOn)) {
      const sum = f64x2.add(f64x2.add(angle(e0, ax, ay, az), angle(e1, bx, by, bz)), angle(e2, cx, cy, cz));
      const isOn = v128.and(mayBeOn, f64x2.lt(f64x2.sub(f64x2.splat(2 * Math.PI), sum), f64x2.splat(ON_FACE)));
      if (i64x2.extract_lane(isOn, 0) != 0) isOnFirst = true;
      if (i64x2.extract_lane(isOn, 1) != 0) isOnSecond = true;
    }
    const isEdgeOn = f64x2.lt(size, f64x2.splat(EDGE_ON));
    const inverse = v128.andnot(f64x2.div(f64x2.splat(1), volume), isEdgeOn);
    const sa = f64x2.mul(e0, inverse), sb = f64x2.mul(e1, inverse), sc = f64x2.mul(e2, inverse);
    const mx = mix(sa, sb, sc, ax, bx, cx), my = mix(sa, sb, sc, ay, by, cy), mz = mix(sa, sb, sc, az, bz, cz);
    add(sumPtr + (p << 4), dot(bx, by, bz, mx, my, mz));
    add(sumPtr + (q << 4), dot(cx, cy, cz, mx, my, mz));
    add(sumPtr + (r << 4), dot(ax, ay, az, mx, my, mz));
  }
}

function writeRows(pointCount: i32, nearnessPtr: usize, sumPtr: usize, first: usize, second: usize): void {
  let sum = f64x2.splat(0);
  for (let p: usize = 0; p < <usize>pointCount; p++) {
    const own = f64x2.mul(v128.load(sumPtr + (p << 4)), v128.load(nearnessPtr + (p << 4)));
    v128.store(sumPtr + (p << 4), own);
    sum = f64x2.add(sum, own);
  }
  const whole = f64x2.div(f64x2.splat(1), sum);
  for (let p: usize = 0; p < <usize>pointCount; p++) {
    const share = f64x2.mul(v128.load(sumPtr + (p << 4)), whole);
    store<f32>(second + (p << 2), <f32>f64x2.extract_lane(share, 1));
    store<f32>(first + (p << 2), <f32>f64x2.extract_lane(share, 0));
  }
}
