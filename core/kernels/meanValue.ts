// Mean value coordinates. Twin: core/src/deform/follow/meanValue.ts, equal to the bit; two places at a time, one a lane.

const ON_FACE: f64 = 1e-6;
const EDGE_ON: f64 = 1e-12;
const NEAR_PLANE: f64 = 0.01;
const OPPOSITE: f64 = 1e-14;

let isOnFirst: bool = false, isOnSecond: bool = false;

@inline
function pair(a: f64, b: f64): v128 { return f64x2.replace_lane(f64x2.splat(a), 1, b); }

export function writeCoordinates(
  placePtr: usize, count: i32, tiny: f64, positionPtr: usize, pointCount: i32, edgePtr: usize, edgeCount: i32,
  trianglePtr: usize, faceCount: i32, sidePtr: usize, signPtr: usize, directionPtr: usize, nearnessPtr: usize,
  sumPtr: usize, crossPtr: usize, scalePtr: usize, outPtr: usize,
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
    lookAtEdges(edgePtr, edgeCount, directionPtr, crossPtr, scalePtr);
    memory.fill(sumPtr, 0, <usize>pointCount << 4);
    addFaces(trianglePtr, faceCount, sidePtr, signPtr, directionPtr, crossPtr, scalePtr, sumPtr);
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

function lookAtEdges(edgePtr: usize, edgeCount: i32, directionPtr: usize, crossPtr: usize, scalePtr: usize): void {
  for (let e: usize = 0; e < <usize>edgeCount; e++) {
    const a = directionPtr + <usize>load<u32>(edgePtr + (e << 3)) * 48;
    const b = directionPtr + <usize>load<u32>(edgePtr + (e << 3), 4) * 48;
    const ax = v128.load(a), ay = v128.load(a, 16), az = v128.load(a, 32);
    const bx = v128.load(b), by = v128.load(b, 16), bz = v128.load(b, 32);
    const cross = crossPtr + e * 48;
    v128.store(cross, f64x2.sub(f64x2.mul(ay, bz), f64x2.mul(az, by)));
    v128.store(cross, f64x2.sub(f64x2.mul(az, bx), f64x2.mul(ax, bz)), 16);
    v128.store(cross, f64x2.sub(f64x2.mul(ax, by), f64x2.mul(ay, bx)), 32);
    const cosine = f64x2.add(f64x2.add(f64x2.mul(ax, bx), f64x2.mul(ay, by)), f64x2.mul(az, bz));
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
function angle(crossPtr: usize, scalePtr: usize, edge: usize): v128 {
  const at = crossPtr + edge * 48;
  const x = v128.load(at), y = v128.load(at, 16), z = v128.load(at, 32);
  return f64x2.mul(v128.load(scalePtr + (edge << 4)), f64x2.sqrt(dot(x, y, z, x, y, z)));
}

function addFaces(
  trianglePtr: usize, faceCount: i32, sidePtr: usize, signPtr: usize, directionPtr: usize, crossPtr: usize,
  scalePtr: usize, sumPtr: usize,
): void {
  const near = f64x2.splat(NEAR_PLANE);
  for (let t: usize = 0; t < <usize>faceCount; t++) {
    const corner = trianglePtr + t * 12, side = sidePtr + t * 12, sign = signPtr + t * 24;
    const e0: usize = load<u32>(side), e1: usize = load<u32>(side, 4), e2: usize = load<u32>(side, 8);
    const a = crossPtr + e0 * 48, b = crossPtr + e1 * 48, c = crossPtr + e2 * 48;
    const s0 = v128.load64_splat(sign), s1 = v128.load64_splat(sign, 8), s2 = v128.load64_splat(sign, 16);
    const ax = f64x2.mul(s0, v128.load(a)), ay = f64x2.mul(s0, v128.load(a, 16)), az = f64x2.mul(s0, v128.load(a, 32));
    const bx = f64x2.mul(s1, v128.load(b)), by = f64x2.mul(s1, v128.load(b, 16)), bz = f64x2.mul(s1, v128.load(b, 32));
    const cx = f64x2.mul(s2, v128.load(c)), cy = f64x2.mul(s2, v128.load(c, 16)), cz = f64x2.mul(s2, v128.load(c, 32));
    const p: usize = load<u32>(corner);
    const to = directionPtr + p * 48;
    const volume = dot(bx, by, bz, v128.load(to), v128.load(to, 16), v128.load(to, 32));
    let inverse = f64x2.div(f64x2.splat(1), volume);
    const size = f64x2.abs(volume);
    if (v128.any_true(f64x2.lt(size, near))) {
      const sum = f64x2.add(
        f64x2.add(angle(crossPtr, scalePtr, e0), angle(crossPtr, scalePtr, e1)),
        angle(crossPtr, scalePtr, e2),
      );
      const isOn = v128.and(
        f64x2.lt(size, near),
        f64x2.lt(f64x2.sub(f64x2.splat(2 * Math.PI), sum), f64x2.splat(ON_FACE)),
      );
      if (i64x2.extract_lane(isOn, 0) != 0) isOnFirst = true;
      if (i64x2.extract_lane(isOn, 1) != 0) isOnSecond = true;
      inverse = v128.andnot(inverse, f64x2.lt(size, f64x2.splat(EDGE_ON)));
    }
    const sa = f64x2.mul(v128.load(scalePtr + (e0 << 4)), inverse);
    const sb = f64x2.mul(v128.load(scalePtr + (e1 << 4)), inverse);
    const sc = f64x2.mul(v128.load(scalePtr + (e2 << 4)), inverse);
    const mx = mix(sa, sb, sc, ax, bx, cx), my = mix(sa, sb, sc, ay, by, cy), mz = mix(sa, sb, sc, az, bz, cz);
    add(sumPtr + (p << 4), dot(bx, by, bz, mx, my, mz));
    add(sumPtr + (<usize>load<u32>(corner, 4) << 4), dot(cx, cy, cz, mx, my, mz));
    add(sumPtr + (<usize>load<u32>(corner, 8) << 4), dot(ax, ay, az, mx, my, mz));
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
