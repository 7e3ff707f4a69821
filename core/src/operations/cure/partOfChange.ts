import { type Change, DeltaBuilder } from '../../weights/delta.ts';
import { beginWithLocked, createCandidates, normalizeCandidates } from '../../weights/normalize.ts';
import { createRows, influenceCount, type WeightRows } from '../../weights/rows.ts';

/**
 * A change that goes part of the way: 0 is none of it, 1 all. Between, weights are mixed, within the limit of influences and
 * with locked joints as they were.
 */
export function partOfChange(
  change: Change,
  amount: number,
  { limit, locks }: { readonly limit: number; readonly locks: Uint8Array },
): Change {
  if (amount <= 0) return [];
  if (amount >= 1) return change;
  return change.flatMap(({ part, points, before, after }) => {
    const builder = new DeltaBuilder(part, before.stride, points.length);
    const row = createRows(1, before.stride);
    const c = createCandidates();
    points.forEach((point, i) => {
      beginWithLocked(c, before, i, locks);
      const at = new Map<number, number>();
      const add = (rows: WeightRows, by: number): void => {
        for (let k = i * rows.stride, end = k + influenceCount(rows, i); k < end; k++)
          if (!locks[rows.joints[k]])
            at.set(rows.joints[k], (at.get(rows.joints[k]) ?? 0) + by * rows.values[k]);
      };
      add(before, 1 - amount);
      add(after, amount);
      for (const [joint, value] of at) {
        c.joints[c.count] = joint;
        c.values[c.count++] = value;
      }
      row.joints.fill(0);
      row.values.fill(0);
      normalizeCandidates(row, 0, c, { fixed: -1, limit, locks });
      builder.push(point, before, i, row, 0);
    });
    const delta = builder.finish();
    return delta.points.length > 0 ? [delta] : [];
  });
}
