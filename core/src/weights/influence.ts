import { CoreError } from '../errors.ts';
import type { Neighbours } from '../topology/topology.ts';
import { DeltaBuilder, type Delta } from './delta.ts';
import { createCandidates, normalizeCandidates, RowStatus, type Candidates } from './normalize.ts';
import { createRows, weightOf, type WeightRows } from './rows.ts';

/** Where weight goes that is taken off a joint: to the others in proportion, to one joint, or to what neighbours have. */
export type Receiver =
  | { readonly kind: 'others' }
  | { readonly kind: 'joint'; readonly joint: number }
  | { readonly kind: 'neighbours' };

export const OTHERS: Receiver = { kind: 'others' };

export interface ReceiverRules {
  readonly receiver: Receiver;
  readonly limit: number;
  readonly locks: Uint8Array;
  /** Needed for the receiver `neighbours`. */
  readonly neighbours?: Neighbours;
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
  { receiver, limit, locks, neighbours }: ReceiverRules,
  c: Candidates,
): number {
  c.count = 0;
  let own = 0;
  let ownAt = -1;
  for (let k = point * source.stride, end = k + source.stride; k < end && source.values[k] !== 0; k++) {
    if (source.joints[k] === joint) {
      own = source.values[k];
      ownAt = c.count;
    }
    c.joints[c.count] = source.joints[k];
    c.values[c.count++] = source.values[k];
  }
  if (target === own) return RowStatus.unchanged;
  const held = c.count;
  if (ownAt < 0) {
    if (target <= 0) return RowStatus.unchanged;
    ownAt = c.count++;
    c.joints[ownAt] = joint;
  }
  c.values[ownAt] = target;
  const freed = own - target;
  if (
    freed > 0 &&
    receiver.kind !== 'others' &&
    !receive(c, source, point, joint, freed, receiver, locks, neighbours)
  )
    return RowStatus.noReceiver;
  const most = held === c.count || ownAt < held ? Math.max(limit, held) : limit;
  return normalizeCandidates(rows, at, c, { fixed: joint, limit: most, locks });
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
): boolean {
  if (receiver.kind === 'joint') {
    if (receiver.joint === joint || receiver.joint < 0 || locks[receiver.joint]) return false;
    addTo(c, receiver.joint, freed);
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
        if (source.joints[k] !== joint && !locks[source.joints[k]]) visit(source.joints[k], source.values[k]);
    }
  };
  eachShare((_, weight) => (sum += weight));
  if (sum <= 0) return false;
  eachShare((other, weight) => addTo(c, other, (freed * weight) / sum));
  return true;
}

function addTo(c: Candidates, joint: number, value: number): void {
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
    throw new CoreError('joint-locked', 'This joint is locked. Untie its knot in the roster first.', {
      joint,
    });
  const builder = new DeltaBuilder(part, rows.stride, points.length);
  const after = createRows(1, rows.stride);
  const c = createCandidates();
  let held = 0;
  for (const p of points) {
    const target = Math.max(0, Math.min(1, change(weightOf(rows, p, joint), p)));
    // The scratch row holds another point's numbers: what is written must count as changed against nothing.
    after.values[0] = -1;
    const status = setInfluence(after, 0, rows, p, joint, target, rules, c);
    if (status & RowStatus.noReceiver) held++;
    if (status & RowStatus.changed) builder.push(p, rows, p, after, 0);
  }
  return { delta: builder.finish(), held };
}
