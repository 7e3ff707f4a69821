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
  if (joint < 0) distances(before, after, out);
  else
    for (let p = 0; p < before.pointCount; p++)
      out[p] = weightOf(after, p, joint) - weightOf(before, p, joint);
}

/** What a row has beyond the other, joint by joint: as both sum to one, that is half of what they differ by. */
function distances(a: WeightRows, b: WeightRows, out: Float32Array): void {
  const { joints: own, values, stride } = a;
  const { joints: others, values: held, stride: step } = b;
  for (let p = 0; p < a.pointCount; p++) {
    const first = p * stride;
    const second = p * step;
    // Most rows have the same joints in the same order: those are held against each other slot by slot.
    let same = 0;
    let k = 0;
    for (; k < stride && k < step && values[first + k] !== 0 && own[first + k] === others[second + k]; k++)
      same += Math.abs(values[first + k] - held[second + k]);
    if ((k === stride || values[first + k] === 0) && (k === step || held[second + k] === 0)) {
      out[p] = same / 2 < ROUNDING ? 0 : same / 2;
      continue;
    }
    let sum = 0;
    let alike = 0;
    let total = 0;
    for (let n = first, end = first + stride; n < end; n++) {
      const value = values[n];
      if (value === 0) break;
      const joint = own[n];
      sum += value;
      for (let m = second, last = second + step; m < last; m++) {
        const other = held[m];
        if (other === 0) break;
        if (others[m] !== joint) continue;
        alike += value < other ? value : other;
        break;
      }
    }
    for (let m = second, last = second + step; m < last && held[m] !== 0; m++) total += held[m];
    // An empty row differs from a whole one by half of it.
    const apart = (sum + total) / 2 - alike;
    out[p] = apart < ROUNDING ? 0 : apart;
  }
}

/** Sums of rows are one but for this. */
const ROUNDING = 2e-6;
