import { CoreError } from '../errors.ts';
import type { Neighbours } from '../mesh/neighbours.ts';
import { mayWeigh, type Areas } from './confines.ts';
import { DeltaBuilder, gatherRows, type Delta } from './delta.ts';
import { normalizeCandidates, RowStatus, type Candidates } from './normalize.ts';
import { BatchedRewrite, SingleRewrite } from './rewrite.ts';
import { BATCH_ROWS, batchServes, pushBatch, type RowBatch } from './rowBatch.ts';
import { MIN_WEIGHT, weightOf, type WeightRows } from './rows.ts';
import { weightKernels } from './weightKernels.ts';

/** Where weight goes that is taken off a joint: to the others in proportion, to one joint, or to what neighbours have. */
export type Receiver =
  | { readonly kind: 'others' }
  | { readonly kind: 'joint'; readonly joint: number }
  | { readonly kind: 'neighbours' };

export const OTHERS: Receiver = { kind: 'others' };
export const NEIGHBOURS: Receiver = { kind: 'neighbours' };

export interface ReceiverRules {
  readonly receiver: Receiver;
  readonly limit: number;
  readonly locks: Uint8Array;
  /** Where confined joints may be given weight, within the part. */
  readonly areas?: Areas;
  /** Needed for the receiver `neighbours`. */
  readonly neighbours?: Neighbours;
  /** Memory to normalize many rows at a time; slower without. */
  readonly batch?: RowBatch;
}

/**
 * Gives one joint a weight at a point; the new row is written to row `at` of `rows`, which may be the point's own. What
 * is freed goes to the receiver. Where the receiver is locked, or is nothing, the weight stays (`noReceiver`). Weight
 * that is added is taken from the others in proportion.
 *
 * @param source rows that the point's own and its neighbours' are read from
 * @returns bits of RowStatus; the row is written only where they say `changed`
 */
export function setInfluence(
  rows: WeightRows,
  at: number,
  source: WeightRows,
  point: number,
  joint: number,
  target: number,
  rules: ReceiverRules,
  c: Candidates,
): number {
  const limit = gather(source, point, joint, target, rules, c);
  if (limit === UNCHANGED) return RowStatus.unchanged;
  if (limit === REFUSED) return RowStatus.noReceiver;
  return normalizeCandidates(rows, at, c, { fixed: joint, limit, locks: rules.locks });
}

const UNCHANGED = -1;
const REFUSED = -2;

/** Puts a point's row with the joint's new weight into candidates. @returns the limit to normalize to, or why not */
function gather(
  source: WeightRows,
  point: number,
  joint: number,
  wanted: number,
  { receiver, limit, locks, neighbours, areas }: ReceiverRules,
  c: Candidates,
): number {
  const { joints, values, stride } = source;
  c.count = 0;
  let own = 0;
  let ownAt = -1;
  for (let k = point * stride, end = k + stride; k < end && values[k] !== 0; k++) {
    if (joints[k] === joint) {
      own = values[k];
      ownAt = c.count;
    }
    c.joints[c.count] = joints[k];
    c.values[c.count++] = values[k];
  }
  const target = wanted > own && !mayWeigh(areas, joint, point) ? own : wanted;
  if (target === own) return UNCHANGED;
  const held = c.count;
  if (ownAt < 0) {
    if (target < MIN_WEIGHT) return UNCHANGED;
    ownAt = c.count++;
    c.joints[ownAt] = joint;
  }
  c.values[ownAt] = target;
  const freed = own - target;
  if (
    freed > 0 &&
    receiver.kind !== 'others' &&
    !receive(c, source, point, joint, freed, receiver, locks, neighbours, areas)
  )
    return REFUSED;
  return ownAt < held ? Math.max(limit, held) : limit;
}

function receive(
  c: Candidates,
  source: WeightRows,
  point: number,
  joint: number,
  freed: number,
  receiver: Receiver,
  locks: Uint8Array,
  neighbours: Neighbours | undefined,
  areas: Areas | undefined,
): boolean {
  if (receiver.kind === 'joint') {
    if (receiver.joint === joint || receiver.joint < 0 || locks[receiver.joint]) return false;
    if (!mayWeigh(areas, receiver.joint, point)) return false;
    addCandidate(c, receiver.joint, freed);
    return true;
  }
  if (!neighbours) return false;
  // What the neighbours have, without the joint and what is locked.
  const { offsets, points } = neighbours;
  let sum = 0;
  const eachShare = (visit: (other: number, weight: number) => void): void => {
    for (let e = offsets[point]; e < offsets[point + 1]; e++) {
      const first = points[e] * source.stride;
      for (let k = first; k < first + source.stride && source.values[k] !== 0; k++)
        if (
          source.joints[k] !== joint &&
          !locks[source.joints[k]] &&
          mayWeigh(areas, source.joints[k], point)
        )
          visit(source.joints[k], source.values[k]);
    }
  };
  eachShare((_, weight) => (sum += weight));
  if (sum <= 0) return false;
  eachShare((other, weight) => addCandidate(c, other, (freed * weight) / sum));
  return true;
}

/** Adds to a candidate's value; a joint that is not among them yet joins. */
export function addCandidate(c: Candidates, joint: number, value: number): void {
  for (let i = 0; i < c.count; i++) {
    if (c.joints[i] !== joint) continue;
    c.values[i] += value;
    return;
  }
  c.joints[c.count] = joint;
  c.values[c.count++] = value;
}

/**
 * Changes one joint's weight at points: set, scale or offset, as `change` says of each.
 *
 * @param points rising
 * @param change the new weight of a point, from its old one; taken into 0..1
 * @returns the delta, and how many points could not do it because nothing could take the freed weight
 * @throws CoreError `joint-locked` if the joint is locked
 */
export function changeInfluence(
  part: number,
  rows: WeightRows,
  points: Uint32Array,
  joint: number,
  change: (weight: number, point: number) => number,
  rules: ReceiverRules,
): { delta: Delta; held: number } {
  if (rules.locks[joint])
    throw new CoreError('joint-locked', 'This joint is locked. Unlock it in the roster first.', {
      joint,
    });
  const { locks, batch, receiver } = rules;
  if (receiver.kind === 'others' && batchServes(batch, rows.stride, locks))
    return changeByKernel(part, rows, points, joint, change, rules, batch);
  const rewrite = batchServes(batch, rows.stride, locks)
    ? new BatchedRewrite(part, rows, points.length, locks, batch, joint)
    : new SingleRewrite(part, rows, points.length, locks, joint);
  let refused = 0;
  for (const p of points) {
    const target = Math.fround(Math.max(0, Math.min(1, change(weightOf(rows, p, joint), p))));
    const limit = gather(rows, p, joint, target, rules, rewrite.next());
    if (limit === REFUSED) refused++;
    else if (limit !== UNCHANGED) rewrite.take(p, limit);
  }
  const { delta, held } = rewrite.finish();
  return { delta, held: held + refused };
}

/** The same where the others give and take: rows are copied out in blocks and changed there by the kernel. */
function changeByKernel(
  part: number,
  rows: WeightRows,
  points: Uint32Array,
  joint: number,
  change: (weight: number, point: number) => number,
  { limit, locks, areas }: ReceiverRules,
  { memory, dst, order, targets, status }: RowBatch,
): { delta: Delta; held: number } {
  const builder = new DeltaBuilder(part, rows.stride, points.length);
  let held = 0;
  for (let from = 0; from < points.length; from += BATCH_ROWS) {
    const list = points.subarray(from, from + BATCH_ROWS);
    gatherRows(rows, list, dst, 0);
    for (let i = 0; i < list.length; i++) {
      const own = weightOf(dst, i, joint);
      const most = mayWeigh(areas, joint, list[i]) ? 1 : own;
      targets[i] = Math.max(0, Math.min(most, change(own, list[i])));
    }
    weightKernels(memory).setWeights(
      dst,
      { points: order, count: list.length },
      targets,
      joint,
      limit,
      locks,
      status,
    );
    for (let i = 0; i < list.length; i++) if (status[i] & RowStatus.noReceiver) held++;
    pushBatch(builder, list, rows, dst, (i) => (status[i] & RowStatus.changed) !== 0);
  }
  return { delta: builder.finish(), held };
}
