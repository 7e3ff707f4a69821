import { CoreError } from '@judoka/core/errors';
import { createRows, influenceCount, type WeightRows } from '@judoka/core/weights';

const MAX_POINTS = 4_000_000;
const MAX_STRIDE = 64;
/** Rows that are packed before others get their turn. */
const ROWS_A_TURN = 16_384;

/** Collects arrays; each starts on a multiple of four. */
export class ByteWriter {
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

/** Reads what a {@link ByteWriter} wrote. @throws CoreError delta-invalid where it is damaged */
export class ByteReader {
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
    if (count > most) throw damaged(`a count of ${count} is above the limit of ${most}`);
    return count;
  }

  stride(): number {
    const stride = this.count(MAX_STRIDE);
    if (stride === 0) throw damaged('its rows have no slots');
    return stride;
  }

  u32Array(length: number): Uint32Array {
    return new Uint32Array(this.#copy(length * 4));
  }

  rows(stride: number): WeightRows {
    const pointCount = this.count(Math.min(MAX_POINTS, this.#left()));
    const used = this.count(Math.min(MAX_POINTS * MAX_STRIDE, this.#left()));
    const counts = new Uint8Array(this.#copy(pointCount));
    const joints = new Uint16Array(this.#copy(used * 2));
    const values = new Float32Array(this.#copy(used * 4));
    const rows = createRows(pointCount, stride);
    let at = 0;
    for (let p = 0; p < pointCount; p++) {
      if (counts[p] > stride || at + counts[p] > used) throw damaged('a row has more slots than there are');
      for (let k = 0; k < counts[p]; k++) {
        rows.joints[p * stride + k] = joints[at];
        rows.values[p * stride + k] = values[at++];
      }
    }
    if (at !== used) throw damaged('slots are left over');
    return rows;
  }

  end(): void {
    if (this.#at !== this.#bytes.length) throw damaged('bytes are left over');
  }

  /** Bytes that are not read yet: no count of what follows can be larger. */
  #left(): number {
    return this.#bytes.length - this.#at;
  }

  #take(length: number): number {
    const at = this.#at;
    if (at + length > this.#bytes.length) throw damaged('it breaks off');
    this.#at = at + ((length + 3) & ~3);
    return at;
  }

  #copy(length: number): ArrayBuffer {
    const at = this.#take(length);
    return this.#bytes.slice(at, at + length).buffer;
  }
}

export function damaged(why: string): CoreError {
  return new CoreError('delta-invalid', `The data sent are damaged: ${why}.`);
}
