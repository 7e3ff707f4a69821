import { createRows, DEFAULT_STRIDE, type WeightRows } from '../../weights/rows.ts';
import { eachShare, type Hold } from './hold.ts';
import { driversOf, type Followings, type PartFollowing } from './partFollowing.ts';

/**
 * Plain weights that move a part about as what it follows does: of each point those of what it holds on to, and its own as far
 * as it keeps them; at most {@link DEFAULT_STRIDE} a point, falling, summing to one.
 * @param rows of all parts
 */
export function weightsAlong(rows: readonly WeightRows[], followings: Followings, part: number): WeightRows {
  // From the end of the chain on: what follows a follower has what that has.
  let above: WeightRows | undefined;
  for (const each of driversOf(followings, part).reverse())
    above = above ? along(rows[each], above, followings[each]) : rows[each];
  return above ?? rows[part];
}

/** Plain weights of places that hold on to a driver: those of what they hold on to, at most {@link DEFAULT_STRIDE} a place. */
export const weightsHeld = (driver: WeightRows, hold: Hold, count: number): WeightRows =>
  along(createRows(count, DEFAULT_STRIDE), driver, { hold });

function along(
  own: WeightRows,
  driver: WeightRows,
  following: Pick<PartFollowing, 'hold' | 'amounts'> | undefined,
): WeightRows {
  if (!following) return own;
  const { hold, amounts } = following;
  const out = createRows(own.pointCount, DEFAULT_STRIDE);
  const sums = new Map<number, number>();
  const add = ({ joints, values, stride }: WeightRows, p: number, by: number): void => {
    for (let k = p * stride; k < (p + 1) * stride && values[k] > 0; k++)
      sums.set(joints[k], (sums.get(joints[k]) ?? 0) + by * values[k]);
  };
  for (let p = 0; p < own.pointCount; p++) {
    sums.clear();
    const amount = amounts?.[p] ?? 1;
    if (amount < 1) add(own, p, 1 - amount);
    eachShare(hold, p, (point, share) => add(driver, point, amount * share));
    // In a cage some take away.
    const kept = [...sums]
      .filter(([, value]) => value > 0)
      .sort((a, b) => b[1] - a[1] || a[0] - b[0])
      .slice(0, DEFAULT_STRIDE);
    const sum = kept.reduce((all, [, value]) => all + value, 0);
    kept.forEach(([joint, value], k) => {
      out.joints[p * DEFAULT_STRIDE + k] = joint;
      out.values[p * DEFAULT_STRIDE + k] = value / sum;
    });
  }
  return out;
}
