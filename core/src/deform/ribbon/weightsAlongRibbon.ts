import { createRows, DEFAULT_STRIDE, type WeightRows } from '../../weights/rows.ts';
import type { LaidRibbon } from './Ribbon.ts';
import { sharesAlong } from './RibbonPoser.ts';

/**
 * Plain weights that move a part about as ribbons do: each point goes over from one joint of the chain to the next as it lies along it,
 * and keeps its own as far as it is not held. At most {@link DEFAULT_STRIDE} a point, falling, summing to one.
 */
export function weightsAlongRibbons(own: WeightRows, ribbons: readonly LaidRibbon[]): WeightRows {
  let rows = own;
  for (const ribbon of ribbons) rows = along(rows, ribbon);
  return rows;
}

function along(own: WeightRows, { ribbon, chain, shares, amounts }: LaidRibbon): WeightRows {
  const stands = sharesAlong(chain);
  const { joints } = ribbon;
  const out = createRows(own.pointCount, DEFAULT_STRIDE);
  const sums = new Map<number, number>();
  const add = (joint: number, by: number): void => {
    if (by > 0) sums.set(joint, (sums.get(joint) ?? 0) + by);
  };
  for (let p = 0; p < own.pointCount; p++) {
    sums.clear();
    for (let k = p * own.stride; k < (p + 1) * own.stride && own.values[k] > 0; k++)
      add(own.joints[k], (1 - amounts[p]) * own.values[k]);
    let j = 0;
    while (j + 1 < joints.length && stands[j + 1] <= shares[p]) j++;
    const t = j + 1 < joints.length ? (shares[p] - stands[j]) / (stands[j + 1] - stands[j] || 1) : 0;
    add(joints[j], amounts[p] * (1 - t));
    if (j + 1 < joints.length) add(joints[j + 1], amounts[p] * t);
    const kept = [...sums].sort((a, b) => b[1] - a[1] || a[0] - b[0]).slice(0, DEFAULT_STRIDE);
    const sum = kept.reduce((all, [, value]) => all + value, 0);
    kept.forEach(([joint, value], k) => {
      out.joints[p * DEFAULT_STRIDE + k] = joint;
      out.values[p * DEFAULT_STRIDE + k] = value / sum;
    });
  }
  return out;
}
