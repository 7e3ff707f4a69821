import type { WeightRows } from './rows.ts';

/**
 * Half the summed absolute difference of a row and the mirror of another, 0..1.
 *
 * @param partner by joint, the one across; -1 for none
 * @param dense   scratch by joint, all zero, and left so
 */
export function mirroredDistance(
  own: WeightRows,
  p: number,
  other: WeightRows,
  q: number,
  partner: ArrayLike<number>,
  dense: Float64Array,
): number {
  const eachOf = (rows: WeightRows, point: number, visit: (joint: number, weight: number) => void): void => {
    for (let k = point * rows.stride; k < (point + 1) * rows.stride && rows.values[k] > 0; k++)
      visit(rows.joints[k], rows.values[k]);
  };
  const across = (joint: number): number => (partner[joint] >= 0 ? partner[joint] : joint);
  let sum = 0;
  const take = (joint: number): void => {
    sum += Math.abs(dense[joint]);
    dense[joint] = 0;
  };
  eachOf(own, p, (joint, weight) => (dense[joint] += weight));
  eachOf(other, q, (joint, weight) => (dense[across(joint)] -= weight));
  eachOf(own, p, take);
  eachOf(other, q, (joint) => take(across(joint)));
  return sum / 2;
}
