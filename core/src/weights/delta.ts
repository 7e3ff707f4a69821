import { CoreError } from '../errors.ts';
import type { WeightRows } from './rows.ts';

/**
 * A reversible change of one part's weights, as plain data.
 *
 * - `points`  Uint32Array: the points touched, rising, none twice.
 * - `before`, `after`: their rows before and after, packed in the same order (row i belongs to points[i]).
 */
export interface Delta {
  readonly part: number;
  readonly points: Uint32Array;
  readonly before: WeightRows;
  readonly after: WeightRows;
}

/** Several parts changed by one operation: at most one delta a part, by rising part. */
export type Change = readonly Delta[];

/** How many points a change changes. */
export const countPoints = (change: Change): number =>
  change.reduce((sum, { points }) => sum + points.length, 0);

export function isEmpty(change: Change): boolean {
  return change.every((delta) => delta.points.length === 0);
}

/** The change that takes `change` back. */
export function invert(change: Change): Change {
  return change.map(({ part, points, before, after }) => ({ part, points, before: after, after: before }));
}

/**
 * Writes a change into the rows of its parts.
 * @throws CoreError `delta-mismatch` if a row is not what the delta expects; nothing is written then.
 */
export function apply(rowsOfPart: readonly WeightRows[], change: Change): void {
  checkChange(rowsOfPart, change);
  for (const delta of change) {
    const rows = rowsOfPart[delta.part];
    const { points, after } = delta;
    if (after.stride !== rows.stride) {
      for (let i = 0; i < points.length; i++) copyRow(after, i, rows, points[i]);
      continue;
    }
    const { stride } = rows;
    eachRun(points, (from, to) => {
      rows.joints.set(after.joints.subarray(from * stride, to * stride), points[from] * stride);
      rows.values.set(after.values.subarray(from * stride, to * stride), points[from] * stride);
    });
  }
}

/**
 * Whether a change fits the rows that it is for; {@link apply} asks the same.
 * @throws CoreError `delta-mismatch` if a row is not what the delta expects
 */
export function checkChange(rowsOfPart: readonly WeightRows[], change: Change): void {
  for (const delta of change) checkBefore(rowsOfPart, delta);
}

/** Spans of a rising list whose points follow one another: they can be copied together. */
function eachRun(points: Uint32Array, visit: (from: number, to: number) => void): void {
  for (let from = 0, to = 1; from < points.length; from = to++) {
    while (to < points.length && points[to] === points[to - 1] + 1) to++;
    visit(from, to);
  }
}

/** Copies the rows of `points`, rising, to rows `at`, `at` + 1, … of `dst`, which has the same stride. */
export function gatherRows(src: WeightRows, points: Uint32Array, dst: WeightRows, at: number): void {
  const { stride } = src;
  eachRun(points, (from, to) => {
    const [first, last] = [points[from] * stride, (points[to - 1] + 1) * stride];
    dst.joints.set(src.joints.subarray(first, last), (at + from) * stride);
    dst.values.set(src.values.subarray(first, last), (at + from) * stride);
  });
}

function checkBefore(rowsOfPart: readonly WeightRows[], delta: Delta): void {
  const rows = rowsOfPart[delta.part] as WeightRows | undefined;
  if (!rows) {
    throw new CoreError(
      'delta-mismatch',
      `This change is for part ${delta.part}, which the character does not have.`,
      {
        part: delta.part,
      },
    );
  }
  const { before } = delta;
  const alike = before.stride === rows.stride;
  if (alike && sameBits(before, rows, delta.points)) return;
  for (let i = 0; i < delta.points.length; i++) {
    const point = delta.points[i];
    if (
      point < rows.pointCount &&
      ((alike && sameSlots(before, i, rows, point)) || rowsEqual(before, i, rows, point))
    )
      continue;
    throw new CoreError(
      'delta-mismatch',
      `This change was made on other weights (part ${delta.part}, point ${point}).`,
      {
        part: delta.part,
        point,
      },
    );
  }
}

/**
 * One change that does what `first` and then `second` do. Points whose row ends as it began are left out.
 * @throws CoreError `delta-mismatch` if `second` does not start where `first` ends.
 */
export function compose(first: Change, second: Change): Change {
  const parts = [...new Set([...first, ...second].map((delta) => delta.part))].sort((a, b) => a - b);
  return parts
    .map((part) => {
      const a = first.find((delta) => delta.part === part);
      const b = second.find((delta) => delta.part === part);
      return a && b ? composeDeltas(a, b) : ((a ?? b) as Delta);
    })
    .filter((delta) => delta.points.length > 0);
}

function composeDeltas(a: Delta, b: Delta): Delta {
  const builder = new DeltaBuilder(
    a.part,
    Math.max(a.before.stride, b.after.stride),
    a.points.length + b.points.length,
  );
  let i = 0;
  let k = 0;
  while (i < a.points.length || k < b.points.length) {
    const pa = i < a.points.length ? a.points[i] : Infinity;
    const pb = k < b.points.length ? b.points[k] : Infinity;
    if (pa < pb) {
      builder.push(pa, a.before, i, a.after, i);
      i++;
    } else if (pb < pa) {
      builder.push(pb, b.before, k, b.after, k);
      k++;
    } else {
      if (!rowsEqual(a.after, i, b.before, k)) {
        throw new CoreError(
          'delta-mismatch',
          `The second change does not start where the first ends (point ${pa}).`,
          {
            part: a.part,
            point: pa,
          },
        );
      }
      builder.push(pa, a.before, i, b.after, k);
      i++;
      k++;
    }
  }
  return builder.finish();
}

/** Collects rows of rising points; rows that end as they began are left out. */
export class DeltaBuilder {
  readonly #part: number;
  readonly #stride: number;
  #count = 0;
  readonly #points: Uint32Array;
  readonly #before: WeightRows;
  readonly #after: WeightRows;

  constructor(part: number, stride: number, capacity: number) {
    this.#part = part;
    this.#stride = stride;
    this.#points = new Uint32Array(capacity);
    this.#before = rowsOf(capacity, stride);
    this.#after = rowsOf(capacity, stride);
  }

  push(point: number, before: WeightRows, beforeAt: number, after: WeightRows, afterAt: number): void {
    if (rowsEqual(before, beforeAt, after, afterAt)) return;
    this.#points[this.#count] = point;
    copyRow(before, beforeAt, this.#before, this.#count);
    copyRow(after, afterAt, this.#after, this.#count);
    this.#count++;
  }

  /** Rows that are known to differ: of `points`, and those from `afterAt` on in `after`; all of the builder's stride. */
  pushRows(points: Uint32Array, before: WeightRows, after: WeightRows, afterAt: number): void {
    const [at, stride] = [this.#count, this.#stride];
    this.#points.set(points, at);
    gatherRows(before, points, this.#before, at);
    const [from, to] = [afterAt * stride, (afterAt + points.length) * stride];
    this.#after.joints.set(after.joints.subarray(from, to), at * stride);
    this.#after.values.set(after.values.subarray(from, to), at * stride);
    this.#count += points.length;
  }

  finish(): Delta {
    const count = this.#count;
    if (count === this.#points.length)
      return { part: this.#part, points: this.#points, before: this.#before, after: this.#after };
    const cut = (rows: WeightRows): WeightRows => ({
      pointCount: count,
      stride: this.#stride,
      joints: rows.joints.slice(0, count * this.#stride),
      values: rows.values.slice(0, count * this.#stride),
    });
    return {
      part: this.#part,
      points: this.#points.slice(0, count),
      before: cut(this.#before),
      after: cut(this.#after),
    };
  }
}

function rowsOf(pointCount: number, stride: number): WeightRows {
  return {
    pointCount,
    stride,
    joints: new Uint16Array(pointCount * stride),
    values: new Float32Array(pointCount * stride),
  };
}

/** A delta without the points from a number on. */
export function cutDelta(delta: Delta, pointCount: number): Delta {
  const { part, points, before, after } = delta;
  if (points.length === 0 || points[points.length - 1] < pointCount) return delta;
  const builder = new DeltaBuilder(part, before.stride, points.length);
  for (let i = 0; i < points.length && points[i] < pointCount; i++)
    builder.push(points[i], before, i, after, i);
  return builder.finish();
}

/** One delta out of several of the same part and stride whose points rise from one to the next. */
export function joinDeltas(deltas: readonly Delta[]): Delta {
  const [{ part, before }] = deltas;
  const count = deltas.reduce((sum, { points }) => sum + points.length, 0);
  const joined = {
    part,
    points: new Uint32Array(count),
    before: rowsOf(count, before.stride),
    after: rowsOf(count, before.stride),
  };
  let at = 0;
  for (const delta of deltas) {
    joined.points.set(delta.points, at);
    for (const side of ['before', 'after'] as const) {
      joined[side].joints.set(delta[side].joints, at * before.stride);
      joined[side].values.set(delta[side].values, at * before.stride);
    }
    at += delta.points.length;
  }
  return joined;
}

/**
 * Whether rows `0`, `1`, … are those of `points`, bit by bit: compared in words of memory, run by run. False also where
 * words cannot be looked at.
 */
function sameBits(packed: WeightRows, rows: WeightRows, points: Uint32Array): boolean {
  const { stride } = rows;
  if (stride % 2 !== 0 || points[points.length - 1] >= rows.pointCount) return false;
  const [ownJoints, joints] = [packed.joints, rows.joints].map(wordsOf);
  const [ownValues, values] = [packed.values, rows.values].map(wordsOf);
  if (!ownJoints || !joints || !ownValues || !values) return false;
  const half = stride / 2;
  let isSame = true;
  eachRun(points, (from, to) => {
    isSame &&=
      sameWords(ownJoints, from * half, joints, points[from] * half, (to - from) * half) &&
      sameWords(ownValues, from * stride, values, points[from] * stride, (to - from) * stride);
  });
  return isSame;
}

const wordsOf = ({ buffer, byteOffset, byteLength }: Uint16Array | Float32Array): Int32Array | undefined =>
  byteOffset % 4 === 0 ? new Int32Array(buffer, byteOffset, byteLength >> 2) : undefined;

function sameWords(a: Int32Array, at: number, b: Int32Array, bt: number, count: number): boolean {
  let difference = 0;
  for (let i = 0; i < count; i++) difference |= a[at + i] ^ b[bt + i];
  return difference === 0;
}

/** Whether rows of one stride are the same slot by slot; unused slots are zero, so that they may be compared too. */
function sameSlots(a: WeightRows, at: number, b: WeightRows, bt: number): boolean {
  const { stride } = a;
  for (let i = at * stride, k = bt * stride, end = i + stride; i < end; i++, k++)
    if (a.values[i] !== b.values[k] || a.joints[i] !== b.joints[k]) return false;
  return true;
}

/** Whether two rows say the same; their strides may differ. */
export function rowsEqual(a: WeightRows, at: number, b: WeightRows, bt: number): boolean {
  const most = Math.max(a.stride, b.stride);
  for (let k = 0; k < most; k++) {
    const va = k < a.stride ? a.values[at * a.stride + k] : 0;
    const vb = k < b.stride ? b.values[bt * b.stride + k] : 0;
    if (va !== vb) return false;
    if (va === 0) return true;
    if (a.joints[at * a.stride + k] !== b.joints[bt * b.stride + k]) return false;
  }
  return true;
}

/** 1 for each point whose row says something else; both have as many points. */
export function differingRows(a: WeightRows, b: WeightRows): Uint8Array {
  const differs = new Uint8Array(a.pointCount);
  if (a === b) return differs;
  if (a.stride !== b.stride) return differs.map((_, point) => (rowsEqual(a, point, b, point) ? 0 : 1));
  const { stride, values, joints } = a;
  const { values: otherValues, joints: otherJoints } = b;
  for (let point = 0, from = 0; point < differs.length; point++, from += stride) {
    for (let k = from; k < from + stride; k++) {
      const value = values[k];
      if (value !== otherValues[k] || (value !== 0 && joints[k] !== otherJoints[k])) {
        differs[point] = 1;
        break;
      }
      if (value === 0) break;
    }
  }
  return differs;
}

/** Copies a row; slots that the target lacks must be unused, slots that the source lacks become unused. */
export function copyRow(src: WeightRows, srcPoint: number, dst: WeightRows, dstPoint: number): void {
  if (src.stride === dst.stride) {
    const { stride, joints, values } = src;
    const from = srcPoint * stride;
    const to = dstPoint * stride;
    for (let k = 0; k < stride; k++) {
      dst.joints[to + k] = joints[from + k];
      dst.values[to + k] = values[from + k];
    }
    return;
  }
  for (let k = 0; k < dst.stride; k++) {
    const held = k < src.stride;
    dst.joints[dstPoint * dst.stride + k] = held ? src.joints[srcPoint * src.stride + k] : 0;
    dst.values[dstPoint * dst.stride + k] = held ? src.values[srcPoint * src.stride + k] : 0;
  }
}
