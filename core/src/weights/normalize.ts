import { MIN_WEIGHT, type WeightRows } from './rows.ts';

/** What happened to a row: bits, so that one row can tell several things. */
export const RowStatus = {
  unchanged: 0,
  changed: 1,
  /** Weight was to be freed, but no other unlocked influence could take it: it stayed. */
  noReceiver: 2,
  /** Locked joints left less room than was asked for. */
  lockedShort: 4,
  /** The influence limit made the smallest unlocked influences go. */
  dropped: 8,
} as const;

/** Influences on their way into a row: `count` of `joints` and `values` are meant; both are overwritten. */
export interface Candidates {
  count: number;
  readonly joints: Uint16Array;
  readonly values: Float64Array;
}

export function createCandidates(capacity = 1024): Candidates {
  return { count: 0, joints: new Uint16Array(capacity), values: new Float64Array(capacity) };
}

/** Begins anew with what the locked joints hold at a point. */
export function beginWithLocked(c: Candidates, rows: WeightRows, point: number, locks: Uint8Array): void {
  c.count = 0;
  const first = point * rows.stride;
  for (let k = first; k < first + rows.stride && rows.values[k] !== 0; k++) {
    if (!locks[rows.joints[k]]) continue;
    c.joints[c.count] = rows.joints[k];
    c.values[c.count++] = rows.values[k];
  }
}

export interface NormalizeRules {
  /** Joint whose value is kept as given while the others make room; -1 for none. */
  readonly fixed: number;
  /** Largest number of influences; never cuts a locked joint. */
  readonly limit: number;
  /** Uint8Array, jointCount: not 0 where a joint is locked. */
  readonly locks: Uint8Array;
}

/**
 * The one normalizing routine: turns candidates into the row of `point`, summing to one.
 *
 * 1. Above the limit, the kept ones are the locked, then the fixed joint, then the largest (ties: the lower joint).
 * 2. Locked values stay to the bit. The fixed joint gets what was asked, up to the room that the locks leave.
 * 3. The other unlocked influences share the remaining room in proportion. Where there are none, the fixed joint
 *    keeps all of the room (`noReceiver`); without a fixed joint the row is left as it was.
 * 4. Values below 1e-6 become nothing; the largest unlocked weight takes the rounding to f32.
 *
 * Twin of normalizeCandidates in core/kernels/rows.ts, equal to the bit.
 * @returns bits of {@link RowStatus}
 */
export function normalizeCandidates(
  rows: WeightRows,
  point: number,
  c: Candidates,
  rules: NormalizeRules,
): number {
  const { fixed, locks } = rules;
  let status: number = RowStatus.unchanged;
  const cap = Math.min(rules.limit, rows.stride);
  if (c.count > cap) {
    let lockedCount = 0;
    for (let i = 0; i < c.count; i++) if (locks[c.joints[i]]) lockedCount++;
    const kept = keepFirst(c, Math.min(rows.stride, Math.max(cap, lockedCount)), rules);
    if (kept < c.count) status |= RowStatus.dropped;
    c.count = kept;
  }
  let lockedSum = 0;
  let others = 0;
  let fixedAt = -1;
  for (let i = 0; i < c.count; i++) {
    if (locks[c.joints[i]]) lockedSum += c.values[i];
    else if (c.joints[i] === fixed) fixedAt = i;
    else others += c.values[i];
  }
  const free = Math.max(0, 1 - lockedSum);
  let wanted = 0;
  if (fixedAt >= 0) {
    wanted = Math.max(0, c.values[fixedAt]);
    if (wanted > free) {
      if (wanted > free + MIN_WEIGHT) status |= RowStatus.lockedShort;
      wanted = free;
    }
  }
  if (others <= 0) {
    if (fixedAt < 0) return status | RowStatus.noReceiver;
    if (wanted < free - MIN_WEIGHT) status |= RowStatus.noReceiver;
    wanted = free;
  }
  scaleUnlocked(c, locks, fixedAt, wanted, others > 0 ? (free - wanted) / others : 0);
  return status | writeRow(rows, point, c);
}

function scaleUnlocked(
  c: Candidates,
  locks: Uint8Array,
  fixedAt: number,
  wanted: number,
  scale: number,
): void {
  let largest = -1;
  for (let i = 0; i < c.count; i++) {
    if (locks[c.joints[i]]) continue;
    let value = i === fixedAt ? wanted : c.values[i] * scale;
    if (value < MIN_WEIGHT) value = 0;
    c.values[i] = Math.fround(value);
    if (largest < 0 || c.values[i] > c.values[largest]) largest = i;
  }
  if (largest < 0) return;
  let rest = 0;
  for (let i = 0; i < c.count; i++) if (i !== largest) rest += c.values[i];
  c.values[largest] = Math.max(0, 1 - rest);
}

function keepFirst(c: Candidates, limit: number, rules: NormalizeRules): number {
  const kept = Math.min(c.count, limit);
  for (let i = 0; i < kept; i++) {
    let best = i;
    for (let k = i + 1; k < c.count; k++) if (comesBefore(c, k, best, rules)) best = k;
    if (best !== i) swap(c, i, best);
  }
  return kept;
}

function comesBefore(c: Candidates, a: number, b: number, { locks, fixed }: NormalizeRules): boolean {
  const rankA = locks[c.joints[a]] ? 2 : c.joints[a] === fixed ? 1 : 0;
  const rankB = locks[c.joints[b]] ? 2 : c.joints[b] === fixed ? 1 : 0;
  if (rankA !== rankB) return rankA > rankB;
  if (c.values[a] !== c.values[b]) return c.values[a] > c.values[b];
  return c.joints[a] < c.joints[b];
}

function swap(c: Candidates, a: number, b: number): void {
  const joint = c.joints[a];
  const value = c.values[a];
  c.joints[a] = c.joints[b];
  c.values[a] = c.values[b];
  c.joints[b] = joint;
  c.values[b] = value;
}

/** Writes candidates as a row: falling by weight, then rising by joint; the rest of the row is zero. */
function writeRow(rows: WeightRows, point: number, c: Candidates): number {
  for (let i = 1; i < c.count; i++) {
    const joint = c.joints[i];
    const value = c.values[i];
    const rounded = Math.fround(value);
    let k = i - 1;
    for (; k >= 0; k--) {
      const other = Math.fround(c.values[k]);
      if (!(other < rounded || (other === rounded && c.joints[k] > joint))) break;
      c.joints[k + 1] = c.joints[k];
      c.values[k + 1] = c.values[k];
    }
    c.joints[k + 1] = joint;
    c.values[k + 1] = value;
  }
  const from = point * rows.stride;
  let slot = 0;
  let status: number = RowStatus.unchanged;
  for (let i = 0; i < c.count; i++) {
    const value = Math.fround(c.values[i]);
    if (value <= 0) continue;
    if (rows.joints[from + slot] !== c.joints[i] || rows.values[from + slot] !== value)
      status = RowStatus.changed;
    rows.joints[from + slot] = c.joints[i];
    rows.values[from + slot] = value;
    slot++;
  }
  for (; slot < rows.stride; slot++) {
    if (rows.values[from + slot] !== 0) status = RowStatus.changed;
    rows.joints[from + slot] = 0;
    rows.values[from + slot] = 0;
  }
  return status;
}
