import type { WeightRows } from '../../weights/rows.ts';

/** Influences of the points that have weight: how many in the mean, and at most; both 0 where none has. */
export function countInfluences(rows: readonly WeightRows[]): { mean: number; most: number } {
  let [points, all, most] = [0, 0, 0];
  for (const { values, stride, pointCount } of rows)
    for (let p = 0; p < pointCount; p++) {
      let own = 0;
      while (own < stride && values[p * stride + own] > 0) own++;
      if (own === 0) continue;
      points++;
      all += own;
      most = Math.max(most, own);
    }
  return { mean: points === 0 ? 0 : all / points, most };
}
