import type { Neighbours } from '../topology/topology.ts';

const SMALLEST_PIECE = 48;

/**
 * An elimination order for matrices on a surface: nested dissection (George 1973) with cuts across the longest side of
 * each piece at its median. Returns Uint32Array, pointCount: position in the order → point.
 */
export function nestedDissection(positions: Float32Array, { offsets, points }: Neighbours): Uint32Array {
  const pointCount = offsets.length - 1;
  const order = new Uint32Array(pointCount);
  for (let p = 0; p < pointCount; p++) order[p] = p;
  const keys = new Float32Array(pointCount);
  /** Which piece a point belongs to at the moment; separators are taken out. */
  const pieceOf = new Uint32Array(pointCount);
  const work: [number, number][] = [[0, pointCount]];
  let pieces = 0;
  const scratch = new Uint32Array(pointCount);
  while (work.length > 0) {
    const [from, to] = work.pop() as [number, number];
    if (to - from <= SMALLEST_PIECE) continue;
    // 1. Cut at the median of the longest side.
    const axis = longestSide(positions, order, from, to);
    const piece = order.subarray(from, to);
    for (const p of piece) keys[p] = positions[p * 3 + axis];
    const middle = from + medianSplit(piece, keys);
    // 2. Points before the cut with a neighbour behind it separate the two halves, and come last.
    const behind = ++pieces;
    for (let i = middle; i < to; i++) pieceOf[order[i]] = behind;
    let kept = from;
    let cut = 0;
    for (let i = from; i < middle; i++) {
      const p = order[i];
      let borders = false;
      for (let k = offsets[p]; k < offsets[p + 1] && !borders; k++) borders = pieceOf[points[k]] === behind;
      if (borders) scratch[cut++] = p;
      else order[kept++] = p;
    }
    for (let i = middle, at = kept; i < to; i++) order[at++] = order[i];
    for (let i = 0; i < cut; i++) {
      order[to - cut + i] = scratch[i];
      pieceOf[scratch[i]] = ++pieces;
    }
    const before = ++pieces;
    for (let i = from; i < kept; i++) pieceOf[order[i]] = before;
    work.push([from, kept], [kept, to - cut]);
  }
  return order;
}

function longestSide(positions: Float32Array, order: Uint32Array, from: number, to: number): number {
  let axis = 0;
  let longest = -1;
  for (let k = 0; k < 3; k++) {
    let least = Infinity;
    let most = -Infinity;
    for (let i = from; i < to; i++) {
      const x = positions[order[i] * 3 + k];
      if (x < least) least = x;
      if (x > most) most = x;
    }
    if (most - least > longest) {
      longest = most - least;
      axis = k;
    }
  }
  return axis;
}

/** Partly sorts points by key until the lower half stands first (quickselect, Hoare 1961); returns where it ends. */
function medianSplit(piece: Uint32Array, keys: Float32Array): number {
  const wanted = piece.length >> 1;
  let left = 0;
  let right = piece.length - 1;
  while (left < right) {
    const pivot = keys[piece[(left + right) >> 1]];
    let i = left;
    let j = right;
    while (i <= j) {
      while (keys[piece[i]] < pivot) i++;
      while (keys[piece[j]] > pivot) j--;
      if (i <= j) {
        const held = piece[i];
        piece[i++] = piece[j];
        piece[j--] = held;
      }
    }
    if (wanted <= j) right = j;
    else if (wanted >= i) left = i;
    else break;
  }
  return wanted;
}
