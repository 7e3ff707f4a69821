import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';
import { CoreError } from '../../errors.ts';
import type { Delta } from '../../weights/delta.ts';
import type { WeightRows } from '../../weights/rows.ts';

export interface PruneSettings {
  /** Weights below this go, 0 to 1; the largest of a point always stays. */
  readonly below?: number;
  /** Of a point's influences the largest stay. */
  readonly most?: number;
  /** Weights become multiples of this, above 0 and at most 0.5; sums stay one. */
  readonly step?: number;
}

/**
 * Drops small weights, keeps the largest, rounds: in this order. What is dropped goes to the others in proportion;
 * locked joints keep theirs, and take no part in rounding.
 *
 * @param points rising
 * @throws CoreError argument-invalid for numbers out of range
 */
export function pruneWeights(
  part: number,
  rows: WeightRows,
  points: Uint32Array,
  { below = 0, most = rows.stride, step = 0 }: PruneSettings,
  rules: RewriteRules,
): Delta {
  if (!(below >= 0 && below < 1))
    throw new CoreError('argument-invalid', 'The threshold is a number from 0 to below 1.', { below });
  if (!(Number.isInteger(most) && most >= 1))
    throw new CoreError('argument-invalid', 'The number of influences to keep is a whole number from 1.', {
      most,
    });
  if (!(step >= 0 && step <= 0.5))
    throw new CoreError('argument-invalid', 'Weights are rounded to a step above 0 and at most 0.5.', {
      step,
    });
  const { stride, joints, values } = rows;
  const { locks } = rules;
  const limit = Math.min(most, stride);
  // Most rows are as they should be: found out before they are taken apart.
  const wanting = points.filter((p) => {
    let count = 0;
    for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++, count++)
      if (values[k] < below) return true;
    return count > limit || (step > 0 && count > 0);
  });
  return rewritePoints(part, rows, wanting, { ...rules, limit }, (p, c) => {
    const first = p * stride;
    const from = c.count;
    let room = 1;
    for (let i = 0; i < from; i++) room -= c.values[i];
    for (let k = first; k < first + stride && values[k] !== 0; k++) {
      if (locks[joints[k]]) continue;
      const isLargest = c.count === from;
      if (values[k] < below && !isLargest) continue;
      if (c.count >= limit && !isLargest) continue;
      c.joints[c.count] = joints[k];
      c.values[c.count++] = values[k];
    }
    if (step > 0) roundTo(c.values, from, c.count, room, step);
  }).delta;
}

/** Rounds to multiples of a step that fill the room: the largest remainders are rounded up (Hamilton's method). */
function roundTo(values: Float64Array, from: number, to: number, room: number, step: number): void {
  const steps = Math.round(room / step);
  if (to === from || steps < 1) return;
  let sum = 0;
  for (let i = from; i < to; i++) sum += values[i];
  const exact = Array.from({ length: to - from }, (_, i) => (values[from + i] / sum) * steps);
  const whole = exact.map(Math.floor);
  let left = steps - whole.reduce((total, n) => total + n, 0);
  const order = [...exact.keys()].sort((a, b) => exact[b] - whole[b] - (exact[a] - whole[a]) || a - b);
  for (const i of order) {
    if (left-- <= 0) break;
    whole[i]++;
  }
  whole.forEach((n, i) => (values[from + i] = n * step));
}
