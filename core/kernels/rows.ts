// Weight rows: the one normalizing routine and the smoothing that feeds it.
// Twin: core/src/weights/normalize.ts and core/src/weights/smooth.ts, equal to the bit (all sums in f64).

const MAX_CANDIDATES: i32 = 1024;
// Below this a freed or scaled weight counts as nothing.
const LEAST: f64 = 1e-6;

export const UNCHANGED: i32 = 0;
export const CHANGED: i32 = 1;
export const NO_RECEIVER: i32 = 2;
export const LOCKED_SHORT: i32 = 4;
export const DROPPED: i32 = 8;

const candidateJoint = memory.data(MAX_CANDIDATES * 2, 16);
const candidateValue = memory.data(MAX_CANDIDATES * 8, 16);

@inline function cj(i: i32): i32 { return load<u16>(candidateJoint + (<usize>i << 1)); }
@inline function cv(i: i32): f64 { return load<f64>(candidateValue + (<usize>i << 3)); }
@inline function setC(i: i32, joint: i32, value: f64): void {
  store<u16>(candidateJoint + (<usize>i << 1), joint);
  store<f64>(candidateValue + (<usize>i << 3), value);
}
@inline function isLocked(locksPtr: usize, joint: i32): bool { return load<u8>(locksPtr + joint) != 0; }

// Which of two candidates is kept first: locked, then the fixed joint, then the larger, then the lower joint.
@inline
function before(a: i32, b: i32, locksPtr: usize, fixed: i32): bool {
  const ja = cj(a), jb = cj(b);
  const ra = isLocked(locksPtr, ja) ? 2 : ja == fixed ? 1 : 0;
  const rb = isLocked(locksPtr, jb) ? 2 : jb == fixed ? 1 : 0;
  if (ra != rb) return ra > rb;
  if (cv(a) != cv(b)) return cv(a) > cv(b);
  return ja < jb;
}

// Cuts the candidates to the `limit` that are kept first (selection: few are kept).
function keepFirst(count: i32, limit: i32, locksPtr: usize, fixed: i32): i32 {
  const kept = min(count, limit);
  for (let i = 0; i < kept; i++) {
    let best = i;
    for (let k = i + 1; k < count; k++) if (before(k, best, locksPtr, fixed)) best = k;
    if (best != i) {
      const j = cj(i), v = cv(i);
      setC(i, cj(best), cv(best));
      setC(best, j, v);
    }
  }
  return kept;
}

// Writes the candidates as the row, falling by weight, then rising by joint; the rest of the row is zero.
function writeRow(count: i32, rowJoint: usize, rowValue: usize, stride: i32): i32 {
  for (let i = 1; i < count; i++) {
    const j = cj(i), v = cv(i);
    let k = i - 1;
    while (k >= 0 && (<f32>cv(k) < <f32>v || (<f32>cv(k) == <f32>v && cj(k) > j))) {
      setC(k + 1, cj(k), cv(k));
      k--;
    }
    setC(k + 1, j, v);
  }
  let changed = UNCHANGED;
  let slot = 0;
  for (let i = 0; i < count; i++) {
    const v = <f32>cv(i);
    if (v <= 0) continue;
    const jp = rowJoint + (<usize>slot << 1), vp = rowValue + (<usize>slot << 2);
    if (load<u16>(jp) != cj(i) || load<f32>(vp) != v) changed = CHANGED;
    store<u16>(jp, cj(i));
    store<f32>(vp, v);
    slot++;
  }
  for (; slot < stride; slot++) {
    const vp = rowValue + (<usize>slot << 2);
    if (load<f32>(vp) != 0) changed = CHANGED;
    store<u16>(rowJoint + (<usize>slot << 1), 0);
    store<f32>(vp, 0);
  }
  return changed;
}

// See normalizeCandidates in the twin for the rules.
function normalizeCandidates(
  count: i32, fixed: i32, limit: i32, locksPtr: usize, rowJoint: usize, rowValue: usize, stride: i32,
): i32 {
  let status = 0;
  const cap = min(limit, stride);
  if (count > cap) {
    // Dropping happens among what has weight; a row is never cut below its locked joints.
    let lockedCount = 0;
    for (let i = 0; i < count; i++) if (isLocked(locksPtr, cj(i))) lockedCount++;
    const kept = keepFirst(count, min(stride, max(cap, lockedCount)), locksPtr, fixed);
    if (kept < count) status |= DROPPED;
    count = kept;
  }
  let lockedSum: f64 = 0, others: f64 = 0;
  let fixedAt = -1;
  for (let i = 0; i < count; i++) {
    if (isLocked(locksPtr, cj(i))) lockedSum += cv(i);
    else if (cj(i) == fixed) fixedAt = i;
    else others += cv(i);
  }
  const free = max<f64>(0, 1 - lockedSum);
  let wanted: f64 = 0;
  if (fixedAt >= 0) {
    wanted = max<f64>(0, cv(fixedAt));
    if (wanted > free) {
      if (wanted > free + LEAST) status |= LOCKED_SHORT;
      wanted = free;
    }
  }
  if (others <= 0) {
    if (fixedAt < 0) {
      // Nothing that may change holds weight: leave the row as it is.
      return status | NO_RECEIVER;
    }
    if (wanted < free - LEAST) status |= NO_RECEIVER;
    wanted = free;
  }
  const scale = others > 0 ? (free - wanted) / others : 0;
  let largest = -1;
  for (let i = 0; i < count; i++) {
    if (isLocked(locksPtr, cj(i))) continue;
    let v = i == fixedAt ? wanted : cv(i) * scale;
    if (v < LEAST) v = 0;
    setC(i, cj(i), <f64><f32>v);
    if (largest < 0 || <f32>v > <f32>cv(largest)) largest = i;
  }
  // The largest free weight takes the rounding, so that the sum is one as nearly as f32 can say.
  if (largest >= 0) {
    let rest: f64 = 0;
    for (let i = 0; i < count; i++) if (i != largest) rest += cv(i);
    setC(largest, cj(largest), max<f64>(0, 1 - rest));
  }
  return status | writeRow(count, rowJoint, rowValue, stride);
}

@inline
function loadRow(rowJoint: usize, rowValue: usize, stride: i32): i32 {
  let count = 0;
  for (; count < stride; count++) {
    const v = load<f32>(rowValue + (<usize>count << 2));
    if (v == 0) break;
    setC(count, load<u16>(rowJoint + (<usize>count << 1)), <f64>v);
  }
  return count;
}

// Gives `joint` the weight targets[i] at each listed point; the others make room in proportion.
export function setWeights(
  listPtr: usize, count: i32, targetPtr: usize, joint: i32, limit: i32, locksPtr: usize,
  jointPtr: usize, valuePtr: usize, stride: i32, statusPtr: usize,
): void {
  for (let i: usize = 0; i < <usize>count; i++) {
    const point: usize = load<u32>(listPtr + (i << 2));
    const rowJoint = jointPtr + point * stride * 2, rowValue = valuePtr + point * stride * 4;
    const target = <f64>load<f32>(targetPtr + (i << 2));
    // Most points of a large list do not change: found out before the row is taken apart.
    if (stride == 8) {
      const mask = i16x8.bitmask(i16x8.eq(v128.load(rowJoint), i16x8.splat(<i16>joint)));
      const own: f32 = mask == 0 ? 0 : load<f32>(rowValue + (<usize>ctz(mask) << 2));
      if (own == <f32>target || (own == 0 && target < LEAST)) {
        store<u8>(statusPtr + i, UNCHANGED);
        continue;
      }
    }
    let held = loadRow(rowJoint, rowValue, stride);
    let at = 0;
    while (at < held && cj(at) != joint) at++;
    let status: i32;
    if (at < held) {
      if (<f32>cv(at) == <f32>target) status = UNCHANGED;
      else {
        setC(at, joint, target);
        status = normalizeCandidates(held, joint, max(limit, held), locksPtr, rowJoint, rowValue, stride);
      }
    } else if (target < LEAST) status = UNCHANGED;
    else {
      setC(held, joint, target);
      status = normalizeCandidates(held + 1, joint, limit, locksPtr, rowJoint, rowValue, stride);
    }
    store<u8>(statusPtr + i, <u8>status);
  }
}

// The weight of one joint at every point of the range.
export function readColumn(from: i32, to: i32, joint: i32, jointPtr: usize, valuePtr: usize, stride: i32, outPtr: usize): void {
  if (stride == 8) {
    const wanted = i16x8.splat(<i16>joint);
    for (let p: usize = from; p < <usize>to; p++) {
      const mask = i16x8.bitmask(i16x8.eq(v128.load(jointPtr + (p << 4)), wanted));
      const value: f32 = mask == 0 ? 0 : load<f32>(valuePtr + (p << 5) + (<usize>ctz(mask) << 2));
      store<f32>(outPtr + (p << 2), value);
    }
    return;
  }
  for (let p: usize = from; p < <usize>to; p++) {
    let value: f32 = 0;
    for (let k: usize = 0; k < <usize>stride; k++) {
      const v = load<f32>(valuePtr + ((p * stride + k) << 2));
      if (v == 0) break;
      if (load<u16>(jointPtr + ((p * stride + k) << 1)) == joint) { value = v; break; }
    }
    store<f32>(outPtr + (p << 2), value);
  }
}

// Targets for smoothing one column: from each listed point's value toward the mean of its neighbours, by amount[i].
export function smoothTargets(
  listPtr: usize, count: i32, columnPtr: usize, offsetPtr: usize, neighbourPtr: usize, amountPtr: usize, targetPtr: usize,
): void {
  for (let i: usize = 0; i < <usize>count; i++) {
    const point: usize = load<u32>(listPtr + (i << 2));
    const from: usize = load<u32>(offsetPtr + (point << 2)), to: usize = load<u32>(offsetPtr + (point << 2), 4);
    const own = load<f32>(columnPtr + (point << 2));
    let target = own;
    if (to > from) {
      let sum: f64 = 0;
      for (let k = from; k < to; k++) {
        const n: usize = load<u32>(neighbourPtr + (k << 2));
        sum += <f64>load<f32>(columnPtr + (n << 2));
      }
      const mean = sum / <f64>(to - from);
      target = <f32>(<f64>own + (mean - <f64>own) * <f64>load<f32>(amountPtr + (i << 2)));
    }
    store<f32>(targetPtr + (i << 2), target);
  }
}

// Smooths all influences of the listed points at once: reads the rows of `src…`, writes that of the i-th listed point to
// row i of `dst…`. A row of `dst` counts only where its status says that it was written (CHANGED).
// accumulatorPtr: f64 a joint, all zero before and after.
export function smoothRows(
  listPtr: usize, count: i32, srcJointPtr: usize, srcValuePtr: usize, dstJointPtr: usize, dstValuePtr: usize, stride: i32,
  offsetPtr: usize, neighbourPtr: usize, amountPtr: usize, limit: i32, locksPtr: usize, accumulatorPtr: usize, statusPtr: usize,
): void {
  const rowJointBytes: usize = stride * 2, rowValueBytes: usize = stride * 4;
  for (let i: usize = 0; i < <usize>count; i++) {
    const point: usize = load<u32>(listPtr + (i << 2));
    const from: usize = load<u32>(offsetPtr + (point << 2)), to: usize = load<u32>(offsetPtr + (point << 2), 4);
    const amount = <f64>load<f32>(amountPtr + (i << 2));
    const rowJoint = srcJointPtr + point * rowJointBytes, rowValue = srcValuePtr + point * rowValueBytes;
    if (to == from || load<f32>(rowValue) == 0 || amount <= 0) {
      store<u8>(statusPtr + i, UNCHANGED);
      continue;
    }
    let held = 0;
    // 1. The point's own row, in the share that stays; locked joints whole.
    for (let k: usize = 0; k < <usize>stride; k++) {
      const v = <f64>load<f32>(rowValue + (k << 2));
      if (v == 0) break;
      const j: usize = load<u16>(rowJoint + (k << 1));
      store<u16>(candidateJoint + (<usize>held << 1), <u16>j);
      held++;
      store<f64>(accumulatorPtr + (j << 3), isLocked(locksPtr, <i32>j) ? v : v * (1 - amount));
    }
    const own = held;
    // 2. The neighbours' rows in equal shares.
    const share = amount / <f64>(to - from);
    for (let e = from; e < to; e++) {
      const n: usize = load<u32>(neighbourPtr + (e << 2));
      const nJoint = srcJointPtr + n * rowJointBytes, nValue = srcValuePtr + n * rowValueBytes;
      for (let k: usize = 0; k < <usize>stride; k++) {
        const v = <f64>load<f32>(nValue + (k << 2));
        if (v == 0) break;
        const j: usize = load<u16>(nJoint + (k << 1));
        if (isLocked(locksPtr, <i32>j)) continue;
        const at = accumulatorPtr + (j << 3);
        const sum = load<f64>(at);
        if (sum == 0) {
          // An own influence that stays with share zero sits in the list already.
          let known = false;
          for (let q = 0; q < own; q++) if (cj(q) == <i32>j) { known = true; break; }
          if (!known && held < MAX_CANDIDATES) {
            store<u16>(candidateJoint + (<usize>held << 1), <u16>j);
            held++;
          }
        }
        store<f64>(at, sum + v * share);
      }
    }
    // 3. Candidates out of the accumulator, which is left clean.
    let filled = 0;
    for (let q = 0; q < held; q++) {
      const j: usize = cj(q);
      const at = accumulatorPtr + (j << 3);
      const v = load<f64>(at);
      store<f64>(at, 0);
      if (v > 0) setC(filled++, <i32>j, v);
    }
    const dstValue = dstValuePtr + i * rowValueBytes;
    memory.fill(dstValue, 0, rowValueBytes);
    store<u8>(statusPtr + i, <u8>normalizeCandidates(
      filled, -1, limit, locksPtr, dstJointPtr + i * rowJointBytes, dstValue, stride,
    ));
  }
}

// Normalizes rows of candidates, `width` places each of which counts[i] are meant, into rows of `dst…`.
export function normalizeBatch(
  count: i32, jointPtr: usize, valuePtr: usize, countPtr: usize, width: i32, fixed: i32, limitPtr: usize, locksPtr: usize,
  dstJointPtr: usize, dstValuePtr: usize, stride: i32, statusPtr: usize,
): void {
  const rowJointBytes: usize = stride * 2, rowValueBytes: usize = stride * 4;
  for (let i: usize = 0; i < <usize>count; i++) {
    const held: i32 = load<u8>(countPtr + i);
    const joints = jointPtr + i * width * 2, values = valuePtr + i * width * 8;
    for (let k: usize = 0; k < <usize>held; k++)
      setC(<i32>k, load<u16>(joints + (k << 1)), load<f64>(values + (k << 3)));
    const rowJoint = dstJointPtr + i * rowJointBytes, rowValue = dstValuePtr + i * rowValueBytes;
    memory.fill(rowJoint, 0, rowJointBytes);
    memory.fill(rowValue, 0, rowValueBytes);
    store<u8>(statusPtr + i, <u8>normalizeCandidates(
      held, fixed, load<u8>(limitPtr + i), locksPtr, rowJoint, rowValue, stride,
    ));
  }
}

// New rows for `count` points, side by side: locked joints keep what `held…` says, the others get what `src…` says from
// `least` on. Rows of `dst…` are zero before; the status says CHANGED only where the row differs from the held one.
export function rewriteRows(
  count: i32, heldJointPtr: usize, heldValuePtr: usize, stride: i32, srcJointPtr: usize, srcValuePtr: usize, srcStride: i32,
  least: f64, limit: i32, locksPtr: usize, dstJointPtr: usize, dstValuePtr: usize, statusPtr: usize,
): void {
  for (let i: usize = 0; i < <usize>count; i++) {
    const heldJoint = heldJointPtr + i * stride * 2, heldValue = heldValuePtr + i * stride * 4;
    const srcJoint = srcJointPtr + i * srcStride * 2, srcValue = srcValuePtr + i * srcStride * 4;
    let filled = 0;
    for (let k: usize = 0; k < <usize>stride; k++) {
      const v = load<f32>(heldValue + (k << 2));
      if (v == 0) break;
      const joint: i32 = load<u16>(heldJoint + (k << 1));
      if (isLocked(locksPtr, joint)) setC(filled++, joint, <f64>v);
    }
    for (let k: usize = 0; k < <usize>srcStride; k++) {
      const v = load<f32>(srcValue + (k << 2));
      const joint: i32 = load<u16>(srcJoint + (k << 1));
      if (<f64>v < least || isLocked(locksPtr, joint)) continue;
      setC(filled++, joint, <f64>v);
    }
    const dstJoint = dstJointPtr + i * stride * 2, dstValue = dstValuePtr + i * stride * 4;
    const status = normalizeCandidates(filled, -1, limit, locksPtr, dstJoint, dstValue, stride);
    let differs = false;
    for (let k: usize = 0; k < <usize>stride; k++) {
      if (
        load<f32>(heldValue + (k << 2)) != load<f32>(dstValue + (k << 2)) ||
        load<u16>(heldJoint + (k << 1)) != load<u16>(dstJoint + (k << 1))
      ) { differs = true; break; }
    }
    store<u8>(statusPtr + i, <u8>(differs ? status | CHANGED : status & ~CHANGED));
  }
}
