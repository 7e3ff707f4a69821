import { weightOf, type WeightRows } from '../../weights/rows.ts';

/** Smaller ones are rounding. */
export const LEAST_DIFFERENCE = 1e-5;

/**
 * How far two states of one part are apart, point by point.
 *
 * @param joint its weight afterwards less that before, -1..1; or -1: all joints, half the summed absolute difference, 0..1
 * @param out   Float32Array, pointCount
 */
export function differenceAmounts(
  before: WeightRows,
  after: WeightRows,
  joint: number,
  out: Float32Array,
): void {
  for (let p = 0; p < before.pointCount; p++)
    out[p] = joint >= 0 ? weightOf(after, p, joint) - weightOf(before, p, joint) : distance(before, after, p);
}

function distance(a: WeightRows, b: WeightRows, p: number): number {
  const [first, second] = [p * a.stride, p * b.stride];
  let [sum, alike] = [0, 0];
  for (let k = first, end = first + a.stride; k < end && a.values[k] !== 0; k++) {
    const joint = a.joints[k];
    let other = 0;
    // Rows that were hardly touched have their joints in the same order.
    if (b.joints[second + k - first] === joint && k - first < b.stride) other = b.values[second + k - first];
    else
      for (let m = second, last = second + b.stride; m < last && b.values[m] !== 0; m++)
        if (b.joints[m] === joint) other = b.values[m];
    sum += Math.abs(a.values[k] - other);
    alike += other;
  }
  let total = 0;
  for (let m = second, last = second + b.stride; m < last && b.values[m] !== 0; m++) total += b.values[m];
  // What the other row has beyond the joints of this one.
  return Math.min(1, (sum + Math.max(0, total - alike)) / 2);
}
