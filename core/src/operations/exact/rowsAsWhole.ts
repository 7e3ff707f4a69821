import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';
import { CoreError } from '../../errors.ts';
import { healUnweighted } from '../../weights/heal.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import type { Delta } from '../../weights/delta.ts';
import { copyRows, influencesOf, type Influence, type WeightRows } from '../../weights/rows.ts';

/** Gives points one and the same row, under locks. */
export function pasteRow(
  part: number,
  rows: WeightRows,
  points: Uint32Array,
  row: readonly Influence[],
  rules: RewriteRules,
): Delta {
  if (row.length === 0)
    throw new CoreError('argument-invalid', 'There are no weights to paste. Copy a point’s first.');
  return rewritePoints(part, rows, points, rules, (_p, c) => {
    for (const { joint, weight } of row) {
      c.joints[c.count] = joint;
      c.values[c.count++] = weight;
    }
  }).delta;
}

/** The mean row of points over several parts; unweighted ones do not count. */
export function meanRow(
  rowsOfPart: readonly WeightRows[],
  points: ReadonlyMap<number, Uint32Array>,
): Influence[] {
  const sums = new Map<number, number>();
  let total = 0;
  for (const [part, list] of points) {
    for (const p of list) {
      for (const { joint, weight } of influencesOf(rowsOfPart[part], p)) {
        sums.set(joint, (sums.get(joint) ?? 0) + weight);
        total += weight;
      }
    }
  }
  return [...sums]
    .map(([joint, weight]) => ({ joint, weight: weight / (total || 1) }))
    .sort((a, b) => b.weight - a.weight || a.joint - b.joint);
}

/**
 * Heals points from the surface around them, as if they had no weight: from their borders inward.
 * @param positions Float32Array, 3·pointCount
 */
export function healPoints(
  part: number,
  rows: WeightRows,
  positions: Float32Array,
  neighbours: Neighbours,
  points: Uint32Array,
  rules: RewriteRules,
): Delta {
  const healed = copyRows(rows);
  for (const p of points) healed.values.fill(0, p * rows.stride, (p + 1) * rows.stride);
  healUnweighted(healed, positions, neighbours, rules.limit);
  const { delta } = rewritePoints(part, rows, points, rules, (p, c) => {
    for (let k = p * rows.stride; k < (p + 1) * rows.stride && healed.values[k] !== 0; k++) {
      c.joints[c.count] = healed.joints[k];
      c.values[c.count++] = healed.values[k];
    }
  });
  return delta;
}
