import { CoreError } from '@judoka/core/errors';
import { type Change, createRows, type Delta, influenceCount, type WeightRows } from '@judoka/core/weights';

/**
 * Weights and changes as bytes. Little-endian; every array starts on a multiple of four.
 *
 * Rows:    u32 "JDW1" · u32 parts · a part: u32 stride · packed rows
 * Change:  u32 "JDC1" · u32 parts · a part: u32 part · u32 stride · u32 points · u32[] points, rising ·
 *          packed rows before · packed rows after
 * Packed rows: u32 rows · u32 used slots · u8[] used slots a row · u16[] joints · f32[] weights
 */
const ROWS_MAGIC = 0x3157444a;
const CHANGE_MAGIC = 0x3143444a;
const MOST_POINTS = 4_000_000;
const MOST_STRIDE = 64;

export function encodeRows(parts: readonly WeightRows[]): Uint8Array<ArrayBuffer> {
  const writer = new Writer();
  writer.u32(ROWS_MAGIC, parts.length);
  for (const rows of parts) {
    writer.u32(rows.stride);
    writer.rows(rows);
  }
  return writer.finish();
}

/** @throws CoreError delta-invalid */
export function decodeRows(bytes: Uint8Array): WeightRows[] {
  const reader = new Reader(bytes);
  if (reader.u32() !== ROWS_MAGIC) throw invalid('it does not begin as weights do');
  const parts = Array.from({ length: reader.count(4096) }, () => reader.rows(reader.stride()));
  reader.end();
  return parts;
}

export function encodeChange(change: Change): Uint8Array<ArrayBuffer> {
  const writer = new Writer();
  writer.u32(CHANGE_MAGIC, change.length);
  for (const { part, points, before, after } of change) {
    writer.u32(part, before.stride, points.length);
    writer.bytes(points);
    writer.rows(before);
    writer.rows(after);
  }
  return writer.finish();
}

/** Rows that are packed before others get their turn. */
const ROWS_A_TURN = 16_384;

/** The same bytes, made with turns for others in between: a change of all points takes longer than a page may stand still. */
export async function encodeChangeInTurns(
  change: Change,
  turn: () => Promise<void>,
): Promise<Uint8Array<ArrayBuffer>> {
  const writer = new Writer();
  writer.u32(CHANGE_MAGIC, change.length);
  for (const { part, points, before, after } of change) {
    writer.u32(part, before.stride, points.length);
    writer.bytes(points);
    for (const rows of [before, after]) {
      const packing = writer.packRows(rows);
      while (!packing.next().done) await turn();
    }
  }
  await turn();
  return writer.finish();
}

/**
 * Refuses what could not have come from an operation: points out of order, weights that are not in 0..1, rows that
 * neither are empty nor sum to one, joints out of range.
 * @throws CoreError delta-invalid
 */
export function decodeChange(bytes: Uint8Array, jointCount = 65536): Change {
  const reader = new Reader(bytes);
  if (reader.u32() !== CHANGE_MAGIC) throw invalid('it does not begin as a change does');
  const change: Delta[] = [];
  for (let left = reader.count(4096); left > 0; left--) {
    const part = reader.u32();
    const stride = reader.stride();
    const points = reader.u32Array(reader.count(MOST_POINTS));
    for (let i = 1; i < points.length; i++)
      if (points[i] <= points[i - 1]) throw invalid('its points are not rising');
    const before = reader.rows(stride);
    const after = reader.rows(stride);
    if (before.pointCount !== points.length || after.pointCount !== points.length)
      throw invalid('its rows do not match its points');
    checkRows(after, jointCount);
    change.push({ part, points, before, after });
  }
  reader.end();
  return change;
}

function checkRows(rows: WeightRows, jointCount: number): void {
  for (let p = 0; p < rows.pointCount; p++) {
    let sum = 0;
    const count = influenceCount(rows, p);
    for (let k = p * rows.stride; k < p * rows.stride + count; k++) {
      if (!(rows.values[k] > 0 && rows.values[k] <= 1)) throw invalid('a weight is not in 0 to 1');
      if (rows.joints[k] >= jointCount) throw invalid(`it names joint ${rows.joints[k]} of ${jointCount}`);
      sum += rows.values[k];
    }
    if (count > 0 && Math.abs(sum - 1) > 1e-5)
      throw invalid(`the weights of a point sum to ${sum.toFixed(4)}`);
  }
}

class Writer {
  readonly #pieces: Uint8Array[] = [];
  #length = 0;

  u32(...numbers: number[]): void {
    this.bytes(Uint32Array.from(numbers));
  }

  bytes(array: Uint32Array | Uint16Array | Uint8Array | Float32Array): void {
    this.#pieces.push(new Uint8Array(array.buffer, array.byteOffset, array.byteLength));
    this.#length += (array.byteLength + 3) & ~3;
  }

  rows(rows: WeightRows): void {
    const packing = this.packRows(rows);
    while (!packing.next().done);
  }

  /** Packs rows, stopping for a moment every so many. */
  *packRows(rows: WeightRows): Generator<void, void> {
    const { pointCount, stride } = rows;
    const counts = new Uint8Array(pointCount);
    let used = 0;
    for (let p = 0; p < pointCount; p++) {
      used += counts[p] = influenceCount(rows, p);
      if (p % ROWS_A_TURN === ROWS_A_TURN - 1) yield;
    }
    const joints = new Uint16Array(used);
    const values = new Float32Array(used);
    let at = 0;
    for (let p = 0; p < pointCount; p++) {
      for (let k = p * stride, end = k + counts[p]; k < end; k++) {
        joints[at] = rows.joints[k];
        values[at++] = rows.values[k];
      }
      if (p % ROWS_A_TURN === ROWS_A_TURN - 1) yield;
    }
    this.u32(pointCount, used);
    this.bytes(counts);
    this.bytes(joints);
    this.bytes(values);
  }

  finish(): Uint8Array<ArrayBuffer> {
    const bytes = new Uint8Array(this.#length);
    let at = 0;
    for (const piece of this.#pieces) {
      bytes.set(piece, at);
      at += (piece.length + 3) & ~3;
    }
    return bytes;
  }
}

class Reader {
  readonly #bytes: Uint8Array;
  readonly #view: DataView;
  #at = 0;

  constructor(bytes: Uint8Array) {
    // A plain view: slice() of a subclass (Node's Buffer) may not copy.
    this.#bytes = new Uint8Array(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }

  u32(): number {
    const at = this.#take(4);
    return this.#view.getUint32(at, true);
  }

  count(most: number): number {
    const count = this.u32();
    if (count > most) throw invalid(`a count of ${count} is above the limit of ${most}`);
    return count;
  }

  stride(): number {
    const stride = this.count(MOST_STRIDE);
    if (stride === 0) throw invalid('its rows have no slots');
    return stride;
  }

  u32Array(length: number): Uint32Array {
    return new Uint32Array(this.#copy(length * 4));
  }

  rows(stride: number): WeightRows {
    const pointCount = this.count(MOST_POINTS);
    const used = this.count(MOST_POINTS * MOST_STRIDE);
    const counts = new Uint8Array(this.#copy(pointCount));
    const joints = new Uint16Array(this.#copy(used * 2));
    const values = new Float32Array(this.#copy(used * 4));
    const rows = createRows(pointCount, stride);
    let at = 0;
    for (let p = 0; p < pointCount; p++) {
      if (counts[p] > stride || at + counts[p] > used) throw invalid('a row has more slots than there are');
      for (let k = 0; k < counts[p]; k++) {
        rows.joints[p * stride + k] = joints[at];
        rows.values[p * stride + k] = values[at++];
      }
    }
    if (at !== used) throw invalid('slots are left over');
    return rows;
  }

  end(): void {
    if (this.#at !== this.#bytes.length) throw invalid('bytes are left over');
  }

  #take(length: number): number {
    const at = this.#at;
    if (at + length > this.#bytes.length) throw invalid('it breaks off');
    this.#at = at + ((length + 3) & ~3);
    return at;
  }

  #copy(length: number): ArrayBuffer {
    const at = this.#take(length);
    return this.#bytes.slice(at, at + length).buffer as ArrayBuffer;
  }
}

function invalid(why: string): CoreError {
  return new CoreError('delta-invalid', `The change sent is damaged: ${why}.`);
}
