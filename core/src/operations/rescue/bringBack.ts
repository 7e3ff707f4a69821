import { CoreError } from '../../errors.ts';
import { maskOf, ringsFrom } from '../../mesh/masks.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { areasOf, mayWeigh, type Areas, type Confines } from '../../weights/confines.ts';
import { DeltaBuilder, rowsEqual, type Change, type Delta } from '../../weights/delta.ts';
import { addCandidate } from '../../weights/influence.ts';
import {
  beginWithLocked,
  createCandidates,
  normalizeCandidates,
  RowStatus,
  type Candidates,
} from '../../weights/normalize.ts';
import { createRows, influenceCount, weightOf, type WeightRows } from '../../weights/rows.ts';

/** How far a soft border may reach, in rings of points. */
export const MAX_BORDER_RINGS = 40;

export interface BringBackRequest {
  /** One a part: the rows to go back to, by the joints of now; see readPastRows. */
  readonly past: readonly WeightRows[];
  /** By part, the points that come back, rising; all of every part where missing. */
  readonly points?: ReadonlyMap<number, Uint32Array>;
  /** Joints whose weights come back, while the others share what is left as they do now; all where missing. */
  readonly joints?: readonly number[];
  /** How much of the past comes back, above 0 and at most 1. */
  readonly amount: number;
  /** Rings of points around `points` over which the amount fades out. */
  readonly border: number;
  /** One a part. */
  readonly neighbours: readonly Neighbours[];
  readonly locks: Uint8Array;
  /** Largest number of influences. */
  readonly limit: number;
  readonly confines?: Confines;
}

/** What could not be brought back as it was; by part, rising points. */
export interface BringBackReport {
  /** Locked joints, or limits of joints, hold the rest. */
  readonly held: ReadonlyMap<number, Uint32Array>;
  /** The smallest influences went, to stay within the limit. */
  readonly dropped: ReadonlyMap<number, Uint32Array>;
}

/**
 * Brings the weights of an earlier moment back: a place, some joints, or all, whole or in part. What is not asked for stays
 * to the bit, and so do locked joints; where all is asked for and nothing is in the way, rows come back to the bit.
 *
 * @throws CoreError argument-invalid if the past is of another shape, the amount or the border out of range, or nothing meant
 */
export function bringBack(
  rowsOfPart: readonly WeightRows[],
  request: BringBackRequest,
): { change: Change; report: BringBackReport } {
  checkRequest(rowsOfPart, request);
  const held = new Map<number, Uint32Array>();
  const dropped = new Map<number, Uint32Array>();
  const change: Delta[] = [];
  rowsOfPart.forEach((rows, part) => {
    const list = request.points ? request.points.get(part) : undefined;
    if (request.points && !list) return;
    const back = new PartReturn(part, rows, request);
    const delta = list ? back.around(list) : back.everywhere();
    if (delta.points.length > 0) change.push(delta);
    if (back.held.length > 0) held.set(part, Uint32Array.from(back.held));
    if (back.dropped.length > 0) dropped.set(part, Uint32Array.from(back.dropped));
  });
  return { change, report: { held, dropped } };
}

function checkRequest(rowsOfPart: readonly WeightRows[], request: BringBackRequest): void {
  const { past, amount, border, points, joints } = request;
  if (
    past.length !== rowsOfPart.length ||
    past.some(({ pointCount }, part) => pointCount !== rowsOfPart[part].pointCount)
  )
    throw new CoreError('argument-invalid', 'This moment is of a character with other points.');
  if (!(amount > 0 && amount <= 1))
    throw new CoreError('argument-invalid', 'The amount that comes back is above 0 and at most 1.');
  if (!(Number.isInteger(border) && border >= 0 && border <= MAX_BORDER_RINGS))
    throw new CoreError('argument-invalid', `A border is 0 to ${MAX_BORDER_RINGS} rings wide.`);
  if (points?.size === 0)
    throw new CoreError('argument-invalid', 'Select the points that are to come back first.');
  if (joints?.length === 0)
    throw new CoreError('argument-invalid', 'Choose the joints whose weights are to come back first.');
}

/** One part on its way back. */
class PartReturn {
  readonly held: number[] = [];
  readonly dropped: number[] = [];
  readonly #part: number;
  readonly #rows: WeightRows;
  readonly #past: WeightRows;
  readonly #request: BringBackRequest;
  readonly #meant: ReadonlySet<number> | undefined;
  readonly #areas: Areas | undefined;
  readonly #candidates: Candidates = createCandidates();
  readonly #row: WeightRows;
  readonly #anyLocked: boolean;

  constructor(part: number, rows: WeightRows, request: BringBackRequest) {
    this.#part = part;
    this.#rows = rows;
    this.#past = request.past[part];
    this.#request = request;
    this.#meant = request.joints && new Set(request.joints);
    this.#areas = areasOf(request.confines, part);
    this.#row = createRows(1, rows.stride);
    this.#anyLocked = request.locks.some((lock) => lock !== 0);
  }

  everywhere(): Delta {
    const builder = new DeltaBuilder(this.#part, this.#rows.stride, this.#rows.pointCount);
    const all = Uint32Array.from({ length: this.#rows.pointCount }, (_, p) => p);
    this.#returnWhole(builder, all, () => this.#request.amount);
    return builder.finish();
  }

  around(list: Uint32Array): Delta {
    const { border, neighbours, amount } = this.#request;
    const rings =
      border > 0 ? ringsFrom(neighbours[this.#part], maskOf(list, this.#rows.pointCount), border) : undefined;
    const points = rings ? withinRings(rings, border) : list;
    const builder = new DeltaBuilder(this.#part, this.#rows.stride, points.length);
    this.#returnWhole(builder, points, (p) => amount * (rings ? fade(rings[p] / (border + 1)) : 1));
    return builder.finish();
  }

  /** Rows that come back as they were go together where their points follow one another; the others one by one. */
  #returnWhole(builder: DeltaBuilder, points: Uint32Array, shareOf: (p: number) => number): void {
    const [rows, past] = [this.#rows, this.#past];
    const canCopy = !this.#meant && rows.stride === past.stride;
    let from = 0;
    const flush = (to: number): void => {
      if (to > from) builder.pushRows(points.subarray(from, to), rows, past, points[from]);
    };
    for (let i = 0; i < points.length; i++) {
      const p = points[i];
      const isSame = rowsEqual(rows, p, past, p);
      const share = isSame ? 0 : shareOf(p);
      const isCopied = !isSame && canCopy && share >= 1 && this.#isFree(p);
      const goesOn = isCopied && (i === from || p === points[i - 1] + 1);
      if (goesOn) continue;
      flush(i);
      from = isCopied ? i : i + 1;
      if (!isSame && !isCopied) this.#return(builder, p, share);
    }
    flush(points.length);
  }

  #return(builder: DeltaBuilder, p: number, share: number): void {
    const [rows, past] = [this.#rows, this.#past];
    if (share >= 1 && !this.#meant && this.#isFree(p)) {
      builder.push(p, rows, p, past, p);
      return;
    }
    // A point that had no weight then has none to bring back in part.
    if (influenceCount(past, p) === 0) return;
    const { locks, limit } = this.#request;
    if (this.#meant) this.#mixMeant(p, share, this.#meant);
    else this.#mixAll(p, share);
    const row = this.#row;
    row.joints.fill(0);
    row.values.fill(0);
    const status = normalizeCandidates(row, 0, this.#candidates, { fixed: -1, limit, locks });
    if (status & RowStatus.noReceiver) {
      this.held.push(p);
      return;
    }
    if (status & RowStatus.dropped) this.dropped.push(p);
    builder.push(p, rows, p, row, 0);
  }

  /** Whether the row of then can stand as it is. */
  #isFree(p: number): boolean {
    const past = this.#past;
    const count = influenceCount(past, p);
    if (count > this.#request.limit || count > this.#rows.stride) return false;
    if (!this.#anyLocked && !this.#areas) return true;
    return !this.#holdsLocked(this.#rows, p) && !this.#holdsLocked(past, p);
  }

  #holdsLocked({ joints, values, stride }: WeightRows, p: number): boolean {
    for (let k = p * stride, end = k + stride; k < end && values[k] !== 0; k++)
      if (this.#isBound(joints[k], p)) return true;
    return false;
  }

  /** Locked, or not allowed to weigh here. */
  #isBound(joint: number, p: number): boolean {
    return this.#request.locks[joint] !== 0 || !mayWeigh(this.#areas, joint, p);
  }

  /** All influences: what was, mixed into what is. */
  #mixAll(p: number, share: number): void {
    const c = this.#candidates;
    beginWithLocked(c, this.#rows, p, this.#request.locks);
    let isHeld = c.count > 0;
    if (share < 1)
      eachInfluence(this.#rows, p, (joint, value) => {
        if (!this.#request.locks[joint]) addCandidate(c, joint, value * (1 - share));
      });
    eachInfluence(this.#past, p, (joint, value) => {
      if (this.#isBound(joint, p)) isHeld = true;
      else addCandidate(c, joint, value * share);
    });
    if (isHeld) this.held.push(p);
  }

  /** Some joints come back; the others share the rest as they do now, or as they did where they have nothing. */
  #mixMeant(p: number, share: number, meant: ReadonlySet<number>): void {
    const { locks } = this.#request;
    const [rows, past, c] = [this.#rows, this.#past, this.#candidates];
    beginWithLocked(c, rows, p, locks);
    let free = 1;
    for (let i = 0; i < c.count; i++) free -= c.values[i];
    const wanted = new Map<number, number>();
    for (const joint of meant) {
      const [had, has] = [weightOf(past, p, joint), weightOf(rows, p, joint)];
      if (locks[joint] || (had === 0 && has === 0)) continue;
      const value = has + (had - has) * share;
      wanted.set(joint, mayWeigh(this.#areas, joint, p) ? value : Math.min(value, has));
    }
    const sum = [...wanted.values()].reduce((total, value) => total + value, 0);
    const given = Math.min(sum, Math.max(0, free));
    if (sum > given + 1e-6) this.held.push(p);
    if (sum > 0) for (const [joint, value] of wanted) addCandidate(c, joint, (value / sum) * given);
    const others = (of: WeightRows): number => {
      let total = 0;
      eachInfluence(of, p, (joint, value) => {
        if (!meant.has(joint) && !this.#isBoundIn(of, joint, p)) total += value;
      });
      return total;
    };
    const source = others(rows) > 0 ? rows : past;
    const rest = others(source);
    if (rest > 0)
      eachInfluence(source, p, (joint, value) => {
        if (!meant.has(joint) && !this.#isBoundIn(source, joint, p))
          addCandidate(c, joint, (value / rest) * Math.max(0, free - given));
      });
  }

  /** What a joint has now it may keep, wherever it is confined to; what it had it may not get. */
  #isBoundIn(rows: WeightRows, joint: number, p: number): boolean {
    return rows === this.#rows ? this.#request.locks[joint] !== 0 : this.#isBound(joint, p);
  }
}

function withinRings(rings: Uint16Array, border: number): Uint32Array {
  const points = new Uint32Array(rings.length);
  let count = 0;
  for (let p = 0; p < rings.length; p++) if (rings[p] <= border) points[count++] = p;
  return points.slice(0, count);
}

/** From one in the middle to nothing at the rim, level at both ends. */
const fade = (t: number): number => 1 - t * t * (3 - 2 * t);

function eachInfluence(
  { joints, values, stride }: WeightRows,
  p: number,
  visit: (joint: number, value: number) => void,
): void {
  for (let k = p * stride, end = k + stride; k < end && values[k] !== 0; k++) visit(joints[k], values[k]);
}
