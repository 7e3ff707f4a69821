import type { LaidRibbon } from '../../deform/ribbon/Ribbon.ts';
import { sharesOfOwnJoints } from '../../deform/ribbon/RibbonCarrier.ts';
import type { Delta } from '../../weights/delta.ts';
import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';
import type { WeightRows } from '../../weights/rows.ts';

/**
 * Hangs what a ribbon holds of a part on its own joints: each point goes over from one to the next as it lies along it, and keeps
 * what it had as far as it is not held. Locked joints keep theirs.
 *
 * @param joints the ribbon's own, from its start to its end
 */
export function weighOwnJoints(
  part: number,
  rows: WeightRows,
  { shares, amounts }: Pick<LaidRibbon, 'shares' | 'amounts'>,
  joints: readonly number[],
  rules: RewriteRules,
): Delta {
  const stands = sharesOfOwnJoints(joints.length);
  const held = Uint32Array.from(amounts.keys()).filter((p) => amounts[p] > 0);
  return rewritePoints(part, rows, held, rules, (p, c) => {
    let next = 1;
    while (next + 1 < joints.length && stands[next] < shares[p]) next++;
    const t = (shares[p] - stands[next - 1]) / (stands[next] - stands[next - 1]);
    const own = new Map([
      [joints[next - 1], amounts[p] * (1 - t)],
      [joints[next], amounts[p] * t],
    ]);
    for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] > 0; k++) {
      const value = (1 - amounts[p]) * rows.values[k];
      if (!rules.locks[rows.joints[k]]) own.set(rows.joints[k], (own.get(rows.joints[k]) ?? 0) + value);
    }
    for (const [joint, value] of own) {
      if (value <= 0) continue;
      c.joints[c.count] = joint;
      c.values[c.count++] = value;
    }
  }).delta;
}
