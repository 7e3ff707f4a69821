/**
 * Which points are coupled: those of p are points[offsets[p] .. offsets[p + 1]).
 */
export interface Graph {
  readonly offsets: Uint32Array;
  readonly points: Uint32Array;
}

/** A dissection on its way: everything flat, in the kernels' memory. */
export interface DissectWork {
  readonly smallest: number;
  readonly positions: Float32Array;
  readonly neighbours: Graph;
  /** Uint32Array, pointCount: position in the order → point; any order before. */
  readonly order: Uint32Array;
  readonly best: Uint32Array;
  readonly keys: Float32Array;
  /** Uint32Array, pointCount: which piece a point belongs to at the moment; separators belong to none. */
  readonly pieceOf: Uint32Array;
  readonly stack: Int32Array;
}

/** The loop of {@link nestedDissection}; twin of dissect in core/kernels/dissect.ts. */
export function dissect(work: DissectWork): void {
  const { smallest, order, best, pieceOf, stack } = work;
  let pieces = 0;
  let top = 2;
  stack.set([0, order.length]);
  while (top > 0) {
    top -= 2;
    const [from, to] = [stack[top], stack[top + 1]];
    if (to - from <= smallest) continue;
    const middle = from + ((to - from) >> 1);
    // 1. Of cuts across the three axes, the one with the fewest points beside it, on either side.
    const [whole, behind] = [++pieces, ++pieces];
    let fewest = Infinity;
    let isBefore = true;
    setPiece(work, order, from, to, whole);
    for (let axis = 0; axis < 3; axis++) {
      splitAtMedian(work, from, to, axis);
      setPiece(work, order, middle, to, behind);
      const before = countBorder(work, from, middle, behind);
      const after = countBorder(work, middle, to, whole);
      setPiece(work, order, middle, to, whole);
      if (Math.min(before, after) >= fewest) continue;
      fewest = Math.min(before, after);
      isBefore = before <= after;
      best.set(order.subarray(from, to), from);
    }
    // 2. Those points separate the two halves, and come last.
    setPiece(work, best, middle, to, behind);
    let [kept, last] = [from, to];
    for (let i = isBefore ? from : middle; i < (isBefore ? middle : to); i++) {
      if (borders(work, best[i], isBefore ? behind : whole)) order[--last] = best[i];
      else order[kept++] = best[i];
    }
    order.set(isBefore ? best.subarray(middle, to) : best.subarray(from, middle), kept);
    for (let i = last; i < to; i++) pieceOf[order[i]] = 0;
    stack.set([from, kept, kept, last], top);
    top += 4;
    setPiece(work, order, from, kept, ++pieces);
    setPiece(work, order, kept, last, ++pieces);
  }
}

function setPiece(
  { pieceOf }: DissectWork,
  list: Uint32Array,
  from: number,
  to: number,
  piece: number,
): void {
  for (let i = from; i < to; i++) pieceOf[list[i]] = piece;
}

function borders(
  { neighbours: { offsets, points }, pieceOf }: DissectWork,
  p: number,
  piece: number,
): boolean {
  for (let k = offsets[p]; k < offsets[p + 1]; k++) if (pieceOf[points[k]] === piece) return true;
  return false;
}

function countBorder(work: DissectWork, from: number, to: number, piece: number): number {
  let count = 0;
  for (let i = from; i < to; i++) if (borders(work, work.order[i], piece)) count++;
  return count;
}

/** Partly sorts a piece along an axis until the lower half stands first (quickselect, Hoare 1961). */
function splitAtMedian(
  { order, keys, positions }: DissectWork,
  from: number,
  to: number,
  axis: number,
): void {
  for (let i = from; i < to; i++) keys[order[i]] = positions[order[i] * 3 + axis];
  const wanted = from + ((to - from) >> 1);
  let left = from;
  let right = to - 1;
  while (left < right) {
    const pivot = keys[order[(left + right) >> 1]];
    let i = left;
    let j = right;
    while (i <= j) {
      while (keys[order[i]] < pivot) i++;
      while (keys[order[j]] > pivot) j--;
      if (i > j) break;
      const held = order[i];
      order[i++] = order[j];
      order[j--] = held;
    }
    if (wanted <= j) right = j;
    else if (wanted >= i) left = i;
    else break;
  }
}
