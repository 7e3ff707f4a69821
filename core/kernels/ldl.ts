// Sparse L·D·Lᵀ, up-looking (Davis 2005), and its solves, eight right-hand sides side by side.
// Twin: core/src/solve/ldlLoops.ts. All arguments named *Ptr are byte addresses in the shared memory.

export function ldlColumns(
  size: i32, from: i32, to: i32,
  columnPtr: usize, belowPtr: usize, entryPtr: usize, diagonalPtr: usize,
  startPtr: usize, rowPtr: usize, valuePtr: usize,
  parentPtr: usize, endPtr: usize, markPtr: usize, patternPtr: usize, sumPtr: usize,
): i32 {
  for (let k: i32 = from; k < to; k++) {
    let top: usize = size;
    let pivot: f64 = 0;
    store<i32>(markPtr + (<usize>k << 2), k);
    const last: usize = load<u32>(startPtr + (<usize>k << 2), 4);
    for (let e: usize = load<u32>(startPtr + (<usize>k << 2)); e < last; e++) {
      let i = load<i32>(rowPtr + (e << 2));
      if (i > k) continue;
      const value = load<f64>(valuePtr + (e << 3));
      if (i == k) {
        pivot += value;
        continue;
      }
      const at = sumPtr + (<usize>i << 3);
      store<f64>(at, load<f64>(at) + value);
      let length: usize = 0;
      while (load<i32>(markPtr + (<usize>i << 2)) != k) {
        store<i32>(patternPtr + (length++ << 2), i);
        store<i32>(markPtr + (<usize>i << 2), k);
        i = load<i32>(parentPtr + (<usize>i << 2));
      }
      while (length > 0) store<i32>(patternPtr + (--top << 2), load<i32>(patternPtr + (--length << 2)));
    }
    for (; top < <usize>size; top++) {
      const i: usize = load<u32>(patternPtr + (top << 2));
      const sum = load<f64>(sumPtr + (i << 3));
      store<f64>(sumPtr + (i << 3), 0);
      const end: usize = load<u32>(endPtr + (i << 2));
      for (let e: usize = load<u32>(columnPtr + (i << 2)); e < end; e++) {
        const at = sumPtr + (<usize>load<u32>(belowPtr + (e << 2)) << 3);
        store<f64>(at, load<f64>(at) - load<f64>(entryPtr + (e << 3)) * sum);
      }
      const entry = sum / load<f64>(diagonalPtr + (i << 3));
      pivot -= entry * sum;
      store<i32>(belowPtr + (end << 2), k);
      store<f64>(entryPtr + (end << 3), entry);
      store<u32>(endPtr + (i << 2), <u32>end + 1);
    }
    store<f64>(diagonalPtr + (<usize>k << 3), pivot);
    if (!(pivot > 0) || pivot == Infinity) return k;
  }
  return -1;
}

@inline
function allBelow(v: v128, tiny: v128): bool { return !v128.any_true(f64x2.ge(f64x2.abs(v), tiny)); }

export function ldlSolve(
  size: i32, columnPtr: usize, belowPtr: usize, entryPtr: usize, diagonalPtr: usize, sidePtr: usize, quietPtr: usize, tiny: f64,
): void {
  for (let k: usize = 0; k < <usize>size; k++) {
    const at = sidePtr + (k << 6);
    const ab = v128.load(at), cd = v128.load(at, 16), ef = v128.load(at, 32), gh = v128.load(at, 48);
    if (!v128.any_true(v128.or(v128.or(ab, cd), v128.or(ef, gh)))) continue;
    const last: usize = load<u32>(columnPtr + (k << 2), 4);
    for (let e: usize = load<u32>(columnPtr + (k << 2)); e < last; e++) {
      const row = sidePtr + (<usize>load<u32>(belowPtr + (e << 2)) << 6);
      const value = f64x2.splat(load<f64>(entryPtr + (e << 3)));
      v128.store(row, f64x2.sub(v128.load(row), f64x2.mul(value, ab)));
      v128.store(row, f64x2.sub(v128.load(row, 16), f64x2.mul(value, cd)), 16);
      v128.store(row, f64x2.sub(v128.load(row, 32), f64x2.mul(value, ef)), 32);
      v128.store(row, f64x2.sub(v128.load(row, 48), f64x2.mul(value, gh)), 48);
    }
  }
  const least = f64x2.splat(tiny), zero = f64x2.splat(0);
  for (let k: isize = <isize>size - 1; k >= 0; k--) {
    const at = sidePtr + (<usize>k << 6);
    let ab = v128.load(at), cd = v128.load(at, 16), ef = v128.load(at, 32), gh = v128.load(at, 48);
    const first: usize = load<u32>(columnPtr + (<usize>k << 2)), last: usize = load<u32>(columnPtr + (<usize>k << 2), 4);
    // A column's first entry is its parent in the tree; all others stand further up.
    const isCalm = first == last || load<u8>(quietPtr + load<u32>(belowPtr + (first << 2))) != 0;
    if (isCalm && !v128.any_true(v128.or(v128.or(ab, cd), v128.or(ef, gh)))) {
      store<u8>(quietPtr + k, 1);
      continue;
    }
    const pivot = f64x2.splat(1 / load<f64>(diagonalPtr + (<usize>k << 3)));
    ab = f64x2.mul(ab, pivot);
    cd = f64x2.mul(cd, pivot);
    ef = f64x2.mul(ef, pivot);
    gh = f64x2.mul(gh, pivot);
    for (let e = first; e < last; e++) {
      const row = sidePtr + (<usize>load<u32>(belowPtr + (e << 2)) << 6);
      const value = f64x2.splat(load<f64>(entryPtr + (e << 3)));
      ab = f64x2.sub(ab, f64x2.mul(value, v128.load(row)));
      cd = f64x2.sub(cd, f64x2.mul(value, v128.load(row, 16)));
      ef = f64x2.sub(ef, f64x2.mul(value, v128.load(row, 32)));
      gh = f64x2.sub(gh, f64x2.mul(value, v128.load(row, 48)));
    }
    const isTiny = allBelow(ab, least) && allBelow(cd, least) && allBelow(ef, least) && allBelow(gh, least);
    if (isTiny) ab = cd = ef = gh = zero;
    v128.store(at, ab);
    v128.store(at, cd, 16);
    v128.store(at, ef, 32);
    v128.store(at, gh, 48);
    store<u8>(quietPtr + k, isTiny && isCalm ? 1 : 0);
  }
}
