import { createRows, type WeightRows } from './rows.ts';
import { wholeShares } from './wholeShares.ts';

/** Rows as they are read back from a file that keeps weights as whole numbers, in shares of `whole`. */
export function roundRows(rows: WeightRows, whole: number): WeightRows {
  const { pointCount, stride, joints, values } = rows;
  const out = createRows(pointCount, stride);
  const shares = new Uint16Array(stride);
  for (let p = 0; p < pointCount; p++) {
    const from = p * stride;
    wholeShares(values.subarray(from, from + stride), 0, stride, whole, shares);
    // Rounded weights fall as before; of those that are alike now, the lower joint comes first.
    const order = Array.from({ length: stride }, (_, k) => k)
      .filter((k) => shares[k] > 0)
      .sort((a, b) => shares[b] - shares[a] || joints[from + a] - joints[from + b]);
    order.forEach((k, slot) => {
      out.joints[from + slot] = joints[from + k];
      out.values[from + slot] = shares[k] / whole;
    });
  }
  return out;
}
