import { areasOf, mayWeigh, type Areas, type Confines } from './confines.ts';
import type { Delta } from './delta.ts';
import { beginWithLocked, type Candidates } from './normalize.ts';
import { BatchedRewrite, SingleRewrite } from './rewrite.ts';
import { batchServes, type RowBatch } from './rowBatch.ts';
import type { WeightRows } from './rows.ts';

export interface RewriteRules {
  readonly locks: Uint8Array;
  /** Largest number of influences. */
  readonly limit: number;
  readonly confines?: Confines;
  /** Memory to normalize many rows at a time; slower without. */
  readonly batch?: RowBatch;
}

/**
 * New rows for points of one part. Locked joints keep what they have; `fill` adds what the others should get, in any
 * proportion, and may name a joint once only.
 *
 * @param points rising
 * @returns the delta, and how many points stayed as they were because nothing could take the room
 */
export function rewritePoints(
  part: number,
  rows: WeightRows,
  points: Uint32Array,
  rules: RewriteRules,
  fill: (point: number, c: Candidates) => void,
): { delta: Delta; held: number } {
  const { locks, limit, confines, batch } = rules;
  const rewrite = batchServes(batch, rows.stride, locks)
    ? new BatchedRewrite(part, rows, points.length, locks, batch)
    : new SingleRewrite(part, rows, points.length, locks);
  const areas = areasOf(confines, part);
  for (const p of points) {
    const c = rewrite.next();
    beginWithLocked(c, rows, p, locks);
    const locked = c.count;
    fill(p, c);
    keepAllowed(c, locked, locks, p, areas);
    rewrite.take(p, limit);
  }
  return rewrite.finish();
}

/** Drops what was filled in for joints that are locked, or confined to other points. */
function keepAllowed(
  c: Candidates,
  from: number,
  locks: Uint8Array,
  point: number,
  areas: Areas | undefined,
): void {
  let kept = from;
  for (let i = from; i < c.count; i++) {
    const joint = c.joints[i];
    if (locks[joint] || !mayWeigh(areas, joint, point)) continue;
    c.joints[kept] = joint;
    c.values[kept++] = c.values[i];
  }
  c.count = kept;
}
