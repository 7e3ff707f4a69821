/** Where points that a file does not have stand: between two others each. */
export interface AddedPoints {
  readonly from: number;
  /** Uint32Array, two an added point. */
  readonly parents: Uint32Array;
  /** Float64Array, an added point each: how far from the first parent to the second. */
  readonly shares: Float64Array;
}

/**
 * Numbers of points, with those of added points between their parents'.
 * @param held  of the points that were there, in their order; more of them stay as they are
 * @param width numbers a point
 */
export function between(
  held: Float32Array,
  { from, parents, shares }: AddedPoints,
  pointCount: number,
  width = 3,
): Float32Array {
  if (held.length >= pointCount * width) return held.subarray(0, pointCount * width);
  const out = new Float32Array(pointCount * width);
  out.set(held);
  const known = held.length / width;
  for (let i = Math.max(0, known - from); i < shares.length && from + i < pointCount; i++) {
    const [a, b] = [parents[i * 2] * width, parents[i * 2 + 1] * width];
    for (let k = 0, at = (from + i) * width; k < width; k++, at++)
      out[at] = (1 - shares[i]) * out[a + k] + shares[i] * out[b + k];
  }
  return out;
}
