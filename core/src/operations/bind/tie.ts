import { CoreError } from '../../errors.ts';
import type { Delta } from '../../weights/delta.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';

/**
 * Gives points to one joint whole, as a rigid piece or a blocked-in region is bound. Locked joints keep what they have;
 * the joint gets the rest. Points to which the joint may not go stay as they are.
 *
 * @param points Uint32Array, rising
 * @throws CoreError `joint-locked` if the joint itself is locked
 */
export function tieToJoint(
  part: number,
  rows: WeightRows,
  points: Uint32Array,
  joint: number,
  { locks, confines }: Pick<RewriteRules, 'locks' | 'confines'>,
): Delta {
  if (locks[joint])
    throw new CoreError('joint-locked', 'This joint is locked. Unlock it in the roster first.', {
      joint,
    });
  return rewritePoints(part, rows, points, { locks, confines, limit: rows.stride }, (_point, c) => {
    c.joints[c.count] = joint;
    c.values[c.count++] = 1;
  }).delta;
}

/** The points of the island that a point belongs to, rising; the point alone if no face uses it. */
export function islandOf(
  { offsets, points }: { readonly offsets: Uint32Array; readonly points: Uint32Array },
  point: number,
): Uint32Array {
  const seen = new Uint8Array(offsets.length - 1);
  const queue = [point];
  seen[point] = 1;
  for (let head = 0; head < queue.length; head++) {
    for (let e = offsets[queue[head]]; e < offsets[queue[head] + 1]; e++) {
      if (seen[points[e]]) continue;
      seen[points[e]] = 1;
      queue.push(points[e]);
    }
  }
  return Uint32Array.from(queue).sort();
}
