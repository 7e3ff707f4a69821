// Nested dissection. Twin: core/src/solve/dissect.ts, equal to the bit.

@inline
function keyOf(keyPtr: usize, orderPtr: usize, i: i32): f32 {
  return load<f32>(keyPtr + (<usize>load<u32>(orderPtr + (<usize>i << 2)) << 2));
}

// Partly sorts order[from .. to) by key until the lower half stands first (quickselect, Hoare 1961).
function splitAtMedian(orderPtr: usize, keyPtr: usize, from: i32, to: i32): void {
  const wanted = from + ((to - from) >> 1);
  let left = from, right = to - 1;
  while (left < right) {
    const pivot = keyOf(keyPtr, orderPtr, (left + right) >> 1);
    let i = left, j = right;
    while (i <= j) {
      while (keyOf(keyPtr, orderPtr, i) < pivot) i++;
      while (keyOf(keyPtr, orderPtr, j) > pivot) j--;
      if (i > j) break;
      const a = orderPtr + (<usize>i << 2), b = orderPtr + (<usize>j << 2);
      const held = load<u32>(a);
      store<u32>(a, load<u32>(b));
      store<u32>(b, held);
      i++;
      j--;
    }
    if (wanted <= j) right = j;
    else if (wanted >= i) left = i;
    else break;
  }
}

@inline
function setPiece(orderPtr: usize, piecePtr: usize, from: i32, to: i32, piece: u32): void {
  for (let i = from; i < to; i++) store<u32>(piecePtr + (<usize>load<u32>(orderPtr + (<usize>i << 2)) << 2), piece);
}

@inline
function borders(point: usize, offsetPtr: usize, neighbourPtr: usize, piecePtr: usize, piece: u32): bool {
  const last = load<u32>(offsetPtr + (point << 2), 4);
  for (let k = load<u32>(offsetPtr + (point << 2)); k < last; k++)
    if (load<u32>(piecePtr + (<usize>load<u32>(neighbourPtr + (<usize>k << 2)) << 2)) == piece) return true;
  return false;
}

function countBorder(
  orderPtr: usize, from: i32, to: i32, offsetPtr: usize, neighbourPtr: usize, piecePtr: usize, piece: u32,
): i32 {
  let count = 0;
  for (let i = from; i < to; i++)
    if (borders(load<u32>(orderPtr + (<usize>i << 2)), offsetPtr, neighbourPtr, piecePtr, piece)) count++;
  return count;
}

export function dissect(
  pointCount: i32, smallest: i32, positionPtr: usize, offsetPtr: usize, neighbourPtr: usize,
  orderPtr: usize, bestPtr: usize, keyPtr: usize, piecePtr: usize, stackPtr: usize,
): void {
  let top: usize = 2;
  let pieces: u32 = 0;
  store<i32>(stackPtr, 0);
  store<i32>(stackPtr, pointCount, 4);
  while (top > 0) {
    top -= 2;
    const from = load<i32>(stackPtr + (top << 2)), to = load<i32>(stackPtr + (top << 2), 4);
    if (to - from <= smallest) continue;
    const bytes = <usize>(to - from) << 2, own = orderPtr + (<usize>from << 2), best = bestPtr + (<usize>from << 2);
    const middle = from + ((to - from) >> 1);
    // 1. Of cuts across the three axes, the one with the fewest points beside it, on either side.
    const whole = ++pieces, behind = ++pieces;
    let fewest = i32.MAX_VALUE;
    let isBefore = true;
    setPiece(orderPtr, piecePtr, from, to, whole);
    for (let axis: usize = 0; axis < 3; axis++) {
      for (let i = from; i < to; i++) {
        const p: usize = load<u32>(orderPtr + (<usize>i << 2));
        store<f32>(keyPtr + (p << 2), load<f32>(positionPtr + p * 12 + (axis << 2)));
      }
      splitAtMedian(orderPtr, keyPtr, from, to);
      setPiece(orderPtr, piecePtr, middle, to, behind);
      const before = countBorder(orderPtr, from, middle, offsetPtr, neighbourPtr, piecePtr, behind);
      const after = countBorder(orderPtr, middle, to, offsetPtr, neighbourPtr, piecePtr, whole);
      setPiece(orderPtr, piecePtr, middle, to, whole);
      if (min(before, after) >= fewest) continue;
      fewest = min(before, after);
      isBefore = before <= after;
      memory.copy(best, own, bytes);
    }
    // 2. Those points separate the two halves, and come last.
    setPiece(bestPtr, piecePtr, middle, to, behind);
    let kept = from, last = to;
    const first = isBefore ? from : middle, end = isBefore ? middle : to;
    const other = isBefore ? behind : whole;
    for (let i = first; i < end; i++) {
      const p = load<u32>(bestPtr + (<usize>i << 2));
      if (borders(p, offsetPtr, neighbourPtr, piecePtr, other)) store<u32>(orderPtr + (<usize>(--last) << 2), p);
      else store<u32>(orderPtr + (<usize>(kept++) << 2), p);
    }
    memory.copy(orderPtr + (<usize>kept << 2), bestPtr + (<usize>(isBefore ? middle : from) << 2), <usize>(last - kept) << 2);
    // Separators belong to no piece.
    setPiece(orderPtr, piecePtr, last, to, 0);
    store<i32>(stackPtr + (top << 2), from);
    store<i32>(stackPtr + (top << 2), kept, 4);
    store<i32>(stackPtr + (top << 2), kept, 8);
    store<i32>(stackPtr + (top << 2), last, 12);
    top += 4;
    setPiece(orderPtr, piecePtr, from, kept, ++pieces);
    setPiece(orderPtr, piecePtr, kept, last, ++pieces);
  }
}
