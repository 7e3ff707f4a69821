/** Where points should be in some poses, in the kernels' memory: three runs of `poses` numbers a point; zeros fill up the last. */
export interface LookArrays {
  readonly poses: number;
  /** Float32Array, 3 a point, part space. */
  readonly positions: Float32Array;
  /** All points' candidates, one after the other. */
  readonly joints: Uint16Array;
  /** 12 runs a joint, as {@link layPalettes} lays them. */
  readonly palettes: Float32Array;
  readonly looks: Float32Array;
  /** 3 runs a candidate, and 3 more: scratch. */
  readonly away: Float32Array;
  /** The products, n × n: their lower half. */
  readonly gram: Float64Array;
}

/**
 * The products of how far each candidate alone would put a point off where it should be, summed over the poses.
 * Twin: core/kernels/settle.ts.
 */
export function lookProducts(arrays: LookArrays, i: number, from: number, n: number): void {
  const { poses, positions, joints, palettes, looks, away, gram } = arrays;
  gram.fill(0, 0, n * n);
  const [x, y, z] = [positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2]];
  for (let k = 0; k < poses; k++)
    for (let c = 0; c < n; c++) {
      for (let r = 0; r < 3; r++) {
        const m = (joints[from + c] * 12 + r) * poses + k;
        const alone = palettes[m] * x + palettes[m + 3 * poses] * y + palettes[m + 6 * poses] * z;
        away[c * 3 + r] = alone + palettes[m + 9 * poses] - looks[(i * 3 + r) * poses + k];
      }
      for (let d = 0; d <= c; d++)
        for (let r = 0; r < 3; r++) gram[c * n + d] += away[c * 3 + r] * away[d * 3 + r];
    }
}
