// The nearest bones of points through the air. Twin: core/src/operations/bind/nearestBones.ts, equal to the bit (all lengths in f32).

const STEPS: i32 = 9;
const LEVEL_SHARE: f32 = 0.15;
const LEVEL_SCALE: f32 = <f32>(8.0 / 0.7);
// Points that are measured together.
const CHUNK: i32 = 64;

const xs = memory.data(CHUNK * 4, 16);
const ys = memory.data(CHUNK * 4, 16);
const zs = memory.data(CHUNK * 4, 16);

@inline
function factorPair(factorPtr: usize, k: i32): v128 { return v128.load64_zero(factorPtr + (<usize>k << 2)); }

// The chunk's first points against one bone, four at a time: plain lengths, and what they count for.
function measureChunk(end: usize, factorPtr: usize, count: i32, lengthPtr: usize, distancePtr: usize): void {
  const fx = load<f32>(end), fy = load<f32>(end, 4), fz = load<f32>(end, 8);
  const ex = load<f32>(end, 12) - fx, ey = load<f32>(end, 16) - fy, ez = load<f32>(end, 20) - fz;
  const square = ex * ex + ey * ey + ez * ez;
  const ax = f32x4.splat(fx), ay = f32x4.splat(fy), az = f32x4.splat(fz);
  const dx = f32x4.splat(ex), dy = f32x4.splat(ey), dz = f32x4.splat(ez);
  // A bone of no length is its beginning.
  const inverse = f32x4.splat(square > 0 ? <f32>1 / square : 0);
  const zero = f32x4.splat(0), one = f32x4.splat(1), most = f32x4.splat(<f32>(STEPS - 1)), last = i32x4.splat(STEPS - 2);
  for (let i: usize = 0; i < <usize>count << 2; i += 16) {
    const x = v128.load(xs + i), y = v128.load(ys + i), z = v128.load(zs + i);
    let t = f32x4.mul(
      f32x4.add(
        f32x4.add(f32x4.mul(f32x4.sub(x, ax), dx), f32x4.mul(f32x4.sub(y, ay), dy)),
        f32x4.mul(f32x4.sub(z, az), dz),
      ),
      inverse,
    );
    t = f32x4.pmin(one, f32x4.pmax(zero, t));
    const ox = f32x4.sub(x, f32x4.add(ax, f32x4.mul(dx, t)));
    const oy = f32x4.sub(y, f32x4.add(ay, f32x4.mul(dy, t)));
    const oz = f32x4.sub(z, f32x4.add(az, f32x4.mul(dz, t)));
    const length = f32x4.sqrt(f32x4.add(f32x4.add(f32x4.mul(ox, ox), f32x4.mul(oy, oy)), f32x4.mul(oz, oz)));
    let step = f32x4.mul(f32x4.sub(t, f32x4.splat(LEVEL_SHARE)), f32x4.splat(LEVEL_SCALE));
    step = f32x4.pmin(most, f32x4.pmax(zero, step));
    const k = i32x4.min_s(i32x4.trunc_sat_f32x4_s(step), last);
    const ab = v128.shuffle<f32>(factorPair(factorPtr, i32x4.extract_lane(k, 0)), factorPair(factorPtr, i32x4.extract_lane(k, 1)), 0, 4, 1, 5);
    const cd = v128.shuffle<f32>(factorPair(factorPtr, i32x4.extract_lane(k, 2)), factorPair(factorPtr, i32x4.extract_lane(k, 3)), 0, 4, 1, 5);
    const from = v128.shuffle<f64>(ab, cd, 0, 2), to = v128.shuffle<f64>(ab, cd, 1, 3);
    const share = f32x4.sub(step, f32x4.convert_i32x4_s(k));
    v128.store(lengthPtr + i, length);
    v128.store(distancePtr + i, f32x4.mul(length, f32x4.add(from, f32x4.mul(f32x4.sub(to, from), share))));
  }
}

// See putJoint in core/src/operations/bind/nearestJoints.ts.
@inline
function putJoint(jointPtr: usize, distancePtr: usize, width: i32, joint: i32, rounded: f32): void {
  let end = 0;
  while (end < width && load<f32>(distancePtr + (<usize>end << 2)) != Infinity && load<u16>(jointPtr + (<usize>end << 1)) != joint) end++;
  if (end < width) {
    const held = load<f32>(distancePtr + (<usize>end << 2));
    if (held != Infinity && held <= rounded) return;
  } else {
    const last = load<f32>(distancePtr + (<usize>(end - 1) << 2));
    if (last < rounded || (last == rounded && <i32>load<u16>(jointPtr + (<usize>(end - 1) << 1)) < joint)) return;
    end--;
  }
  let k = end;
  for (; k > 0; k--) {
    const before = load<f32>(distancePtr + (<usize>(k - 1) << 2));
    const other = load<u16>(jointPtr + (<usize>(k - 1) << 1));
    if (before < rounded || (before == rounded && <i32>other < joint)) break;
    store<f32>(distancePtr + (<usize>k << 2), before);
    store<u16>(jointPtr + (<usize>k << 1), other);
  }
  store<f32>(distancePtr + (<usize>k << 2), rounded);
  store<u16>(jointPtr + (<usize>k << 1), <u16>joint);
}

@inline
function lengthTo(end: usize, x: f64, y: f64, z: f64): f64 {
  const ax = <f64>load<f32>(end), ay = <f64>load<f32>(end, 4), az = <f64>load<f32>(end, 8);
  const dx = <f64>load<f32>(end, 12) - ax, dy = <f64>load<f32>(end, 16) - ay, dz = <f64>load<f32>(end, 20) - az;
  const squared = dx * dx + dy * dy + dz * dz;
  let t = squared > 0 ? ((x - ax) * dx + (y - ay) * dy + (z - az) * dz) / squared : 0;
  t = t < 0 ? 0 : t > 1 ? 1 : t;
  const ox = x - (ax + dx * t), oy = y - (ay + dy * t), oz = z - (az + dz * t);
  return sqrt<f64>(ox * ox + oy * oy + oz * oz);
}

// Bones that can be nearest somewhere in a ball, and those near one of them in the skeleton that are not too far: their
// numbers rising in `kept`, how many returned. `ranges`: least and most factor of each bone; `lower`: room for f64 a bone.
export function keepBones(
  x: f64, y: f64, z: f64, radius: f64, boneCount: i32, boneJointPtr: usize, endPtr: usize, rangePtr: usize,
  farPtr: usize, nearPtr: usize, jointCount: i32, keptPtr: usize, lowerPtr: usize,
): i32 {
  let upper: f64 = Infinity;
  for (let b: usize = 0; b < <usize>boneCount; b++) {
    const length = lengthTo(endPtr + b * 24, x, y, z);
    store<f64>(lowerPtr + (b << 3), max<f64>(0, length - radius) * load<f64>(rangePtr + (b << 4)));
    upper = min<f64>(upper, (length + radius) * load<f64>(rangePtr + (b << 4), 8));
  }
  let kept = 0;
  for (let b: usize = 0; b < <usize>boneCount; b++) {
    if (load<f64>(lowerPtr + (b << 3)) > load<f64>(farPtr + (b << 3)) * upper) continue;
    const joint: usize = load<u16>(boneJointPtr + (b << 1));
    for (let other: usize = 0; other < <usize>boneCount; other++) {
      if (load<f64>(lowerPtr + (other << 3)) > upper) continue;
      const row = <usize>load<u16>(boneJointPtr + (other << 1)) * jointCount;
      if (load<u8>(nearPtr + row + joint) == 0) continue;
      store<i32>(keptPtr + (<usize>kept << 2), <i32>b);
      kept++;
      break;
    }
  }
  return kept;
}

// Puts what has a say at a point into its row; its distances stand CHUNK apart from one kept bone to the next.
@inline
function settle(
  point: usize, keptPtr: usize, keptCount: i32, boneJointPtr: usize, farPtr: usize, nearPtr: usize, jointCount: i32,
  width: i32, reachJointPtr: usize, reachDistancePtr: usize, radiusPtr: usize, lengthPtr: usize, distancePtr: usize,
): void {
  let nearest = 0;
  let least: f32 = Infinity;
  let owner: u16 = 0;
  for (let k = 0; k < keptCount; k++) {
    const distance = load<f32>(distancePtr + (<usize>(k * CHUNK) << 2));
    if (distance > least) continue;
    const joint = load<u16>(boneJointPtr + (load<i32>(keptPtr + (<usize>k << 2)) << 1));
    if (distance < least || joint < owner) {
      nearest = k;
      owner = joint;
    }
    least = distance;
  }
  const row = nearPtr + <usize>owner * jointCount;
  const rowJoint = reachJointPtr + point * width * 2, rowDistance = reachDistancePtr + point * width * 4;
  for (let k = 0; k < keptCount; k++) {
    const distance = load<f32>(distancePtr + (<usize>(k * CHUNK) << 2));
    const bone = load<i32>(keptPtr + (<usize>k << 2));
    if (<f64>distance > load<f64>(farPtr + (bone << 3)) * <f64>least) continue;
    const joint: i32 = load<u16>(boneJointPtr + (bone << 1));
    if (load<u8>(row + joint) != 0) putJoint(rowJoint, rowDistance, width, joint, distance);
  }
  store<f32>(radiusPtr + (point << 2), load<f32>(lengthPtr + (<usize>(nearest * CHUNK) << 2)));
}

// Measures the listed points against the kept bones, and puts those that have a say into the points' rows. `lengths` and
// `distances` have room for CHUNK points a bone.
export function nearestBones(
  memberPtr: usize, from: i32, to: i32, positionPtr: usize, keptPtr: usize, keptCount: i32,
  boneJointPtr: usize, endPtr: usize, factorPtr: usize, farPtr: usize, nearPtr: usize, jointCount: i32,
  width: i32, reachJointPtr: usize, reachDistancePtr: usize, radiusPtr: usize, lengthPtr: usize, distancePtr: usize,
): void {
  for (let first = from; first < to; first += CHUNK) {
    const count = min(CHUNK, to - first);
    const list = memberPtr + (<usize>first << 2);
    for (let i: usize = 0; i < <usize>count; i++) {
      const at = positionPtr + <usize>load<u32>(list + (i << 2)) * 12;
      store<f32>(xs + (i << 2), load<f32>(at));
      store<f32>(ys + (i << 2), load<f32>(at, 4));
      store<f32>(zs + (i << 2), load<f32>(at, 8));
    }
    for (let k = 0; k < keptCount; k++) {
      const bone = load<i32>(keptPtr + (<usize>k << 2));
      const at = <usize>(k * CHUNK) << 2;
      measureChunk(endPtr + bone * 24, factorPtr + bone * STEPS * 4, count, lengthPtr + at, distancePtr + at);
    }
    for (let i: usize = 0; i < <usize>count; i++) {
      settle(
        load<u32>(list + (i << 2)), keptPtr, keptCount, boneJointPtr, farPtr, nearPtr, jointCount,
        width, reachJointPtr, reachDistancePtr, radiusPtr, lengthPtr + (i << 2), distancePtr + (i << 2),
      );
    }
  }
}

// Which box a point lies in: (z·ny + y)·nx + x, what lies outside in the box next to it.
export function boxPoints(
  positionPtr: usize, count: i32, lx: f64, ly: f64, lz: f64, size: f64, nx: i32, ny: i32, nz: i32, keyPtr: usize,
): void {
  for (let i: usize = 0; i < <usize>count; i++) {
    const at = positionPtr + i * 12;
    const x = max(0, min(nx - 1, <i32>floor((<f64>load<f32>(at) - lx) / size)));
    const y = max(0, min(ny - 1, <i32>floor((<f64>load<f32>(at, 4) - ly) / size)));
    const z = max(0, min(nz - 1, <i32>floor((<f64>load<f32>(at, 8) - lz) / size)));
    store<i32>(keyPtr + (i << 2), (z * ny + y) * nx + x);
  }
}

// Slots whose joint has a factor other than one count for so many times their distance, and are sorted anew. A row keeps
// its order where every joint's factor is infinite.
export function weighSlots(from: i32, to: i32, width: i32, jointPtr: usize, distancePtr: usize, factorPtr: usize): void {
  for (let p: usize = from; p < <usize>to; p++) {
    const joints = jointPtr + p * width * 2, distances = distancePtr + p * width * 4;
    let end = 0;
    let foreign = false, stays = false;
    for (; end < width && load<f32>(distances + (<usize>end << 2)) != Infinity; end++) {
      const factor = load<f64>(factorPtr + (<usize>load<u16>(joints + (<usize>end << 1)) << 3));
      if (factor != 1) foreign = true;
      if (factor != Infinity) stays = true;
    }
    if (!foreign || !stays) continue;
    for (let i = 0; i < end; i++) {
      const joint = load<u16>(joints + (<usize>i << 1));
      const factor = load<f64>(factorPtr + (<usize>joint << 3));
      const distance: f32 = factor == Infinity ? Infinity : <f32>(<f64>load<f32>(distances + (<usize>i << 2)) * factor);
      let k = i;
      for (; k > 0; k--) {
        const before = load<f32>(distances + (<usize>(k - 1) << 2));
        const other = load<u16>(joints + (<usize>(k - 1) << 1));
        if (before < distance || (before == distance && other < joint)) break;
        store<f32>(distances + (<usize>k << 2), before);
        store<u16>(joints + (<usize>k << 1), other);
      }
      store<f32>(distances + (<usize>k << 2), distance);
      store<u16>(joints + (<usize>k << 1), joint);
    }
  }
}

const MAX_SLOTS: i32 = 8;
// Steeper than this, no share counts.
const STEEPEST: f64 = 9.25;
const shares = memory.data(MAX_SLOTS * 8, 16);

// See bell in the twin: e to the power of -x, for x from 0 to about ten.
@inline
function bell(x: f64): f64 {
  const y = x / -16;
  let e = y / 9;
  for (let n: f64 = 8; n >= 1; n--) e = (y / n) * (1 + e);
  e += 1;
  e *= e;
  e *= e;
  e *= e;
  return e * e;
}

// See blendRows in the twin.
export function blendRows(
  pointCount: i32, width: i32, jointPtr: usize, distancePtr: usize, radiusPtr: usize, chainPtr: usize, lengthPtr: usize,
  softness: f64, chainShare: f64, leastShare: f64, rowJointPtr: usize, rowValuePtr: usize,
): void {
  for (let p: usize = 0; p < <usize>pointCount; p++) {
    const joints = jointPtr + p * width * 2, distances = distancePtr + p * width * 4;
    const least = <f64>load<f32>(distances);
    if (least == Infinity) continue;
    const rowJoint = rowJointPtr + p * 16, rowValue = rowValuePtr + p * 32;
    const nearest = load<u16>(joints);
    const radius = max<f64>(<f64>load<f32>(radiusPtr + (p << 2)), 1e-12);
    const chain = load<i32>(chainPtr + (<usize>nearest << 2));
    let sum: f64 = 0;
    let used = 0;
    for (let k = 0; k < width; k++) {
      const far = <f64>load<f32>(distances + (<usize>k << 2));
      if (far == Infinity) break;
      const joint: usize = load<u16>(joints + (<usize>k << 1));
      const ratio: f64 = least > 0 ? far / least : k == 0 ? 1 : Infinity;
      const beyond = radius * sqrt<f64>(max<f64>(0, ratio * ratio - 1));
      let border = softness * radius;
      if (chain >= 0 && chain == load<i32>(chainPtr + (joint << 2))) {
        const length = (<f64>load<f32>(lengthPtr + (<usize>nearest << 2)) + <f64>load<f32>(lengthPtr + (joint << 2))) / 2;
        border = max<f64>(border, chainShare * length);
      }
      const steep = beyond / border;
      if (!(steep * steep < STEEPEST)) continue;
      const share = bell(steep * steep);
      if (!(share > leastShare)) continue;
      store<f64>(shares + (<usize>used << 3), share);
      store<u16>(rowJoint + (<usize>used << 1), <u16>joint);
      sum += share;
      used++;
    }
    for (let k: usize = 0; k < <usize>used; k++) store<f32>(rowValue + (k << 2), <f32>(load<f64>(shares + (k << 3)) / sum));
  }
}
