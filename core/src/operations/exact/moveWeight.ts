import type { RewriteRules } from '../../weights/rewritePoints.ts';
import { CoreError } from '../../errors.ts';
import { areasOf, mayWeigh } from '../../weights/confines.ts';
import { DeltaBuilder, type Delta } from '../../weights/delta.ts';
import { createCandidates, normalizeCandidates } from '../../weights/normalize.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';

/**
 * Moves weight from one joint to another, all of it or a share. Where the other is confined away it stays.
 *
 * @param points rising; all points of the part where missing
 * @param share  of the weight, above 0 and at most 1
 * @throws CoreError `joint-locked` if either joint is locked
 */
export function moveWeight(
  part: number,
  rows: WeightRows,
  from: number,
  to: number,
  { locks, confines }: Pick<RewriteRules, 'locks' | 'confines'>,
  share = 1,
  points: Iterable<number> = Array(rows.pointCount).keys(),
): Delta {
  const locked = [from, to].find((joint) => locks[joint]);
  if (locked !== undefined)
    throw new CoreError('joint-locked', 'This joint is locked. Unlock it in the roster first.', {
      joint: locked,
    });
  const builder = new DeltaBuilder(part, rows.stride, rows.pointCount);
  const after = createRows(1, rows.stride);
  const c = createCandidates(rows.stride + 1);
  const areas = areasOf(confines, part);
  for (const p of points) {
    if (!mayWeigh(areas, to, p)) continue;
    c.count = 0;
    let moving = 0;
    let target = -1;
    for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] !== 0; k++) {
      const joint = rows.joints[k];
      let value = rows.values[k];
      if (joint === from) {
        moving = value * share;
        value -= moving;
        if (value <= 0) continue;
      } else if (joint === to) target = c.count;
      c.joints[c.count] = joint;
      c.values[c.count++] = value;
    }
    if (moving === 0) continue;
    if (target < 0) {
      target = c.count++;
      c.joints[target] = to;
      c.values[target] = 0;
    }
    c.values[target] += moving;
    after.values.fill(0);
    after.joints.fill(0);
    normalizeCandidates(after, 0, c, { fixed: -1, limit: rows.stride, locks });
    builder.push(p, rows, p, after, 0);
  }
  return builder.finish();
}
