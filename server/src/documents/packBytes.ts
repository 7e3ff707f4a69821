/** Collects arrays in the forms that deflate best. Each array is led by its length. */
export class PackWriter {
  readonly #pieces: Uint8Array[] = [];

  u32(number: number): void {
    this.#pieces.push(new Uint8Array(Uint32Array.of(number).buffer));
  }

  bytes(array: Uint8Array): void {
    this.u32(array.length);
    this.#pieces.push(array);
  }

  /** A rising list as the steps between its numbers, seven bits a byte. */
  rising(list: Uint32Array): void {
    const bytes = new Uint8Array(list.length * 5);
    let [at, last] = [0, 0];
    for (const number of list) {
      let step = number - last;
      last = number;
      for (; step > 127; step >>>= 7) bytes[at++] = (step & 127) | 128;
      bytes[at++] = step;
    }
    this.bytes(bytes.subarray(0, at));
  }

  /** All low bytes, then all high ones. */
  pairs(array: Uint16Array): void {
    const bytes = new Uint8Array(array.length * 2);
    array.forEach((number, i) => {
      bytes[i] = number;
      bytes[array.length + i] = number >> 8;
    });
    this.bytes(bytes);
  }

  /** All lowest bytes, then all next ones, and so on. */
  planes(array: Uint32Array): void {
    const { length } = array;
    const bytes = new Uint8Array(length * 4);
    for (let i = 0; i < length; i++) {
      bytes[i] = array[i];
      bytes[length + i] = array[i] >>> 8;
      bytes[2 * length + i] = array[i] >>> 16;
      bytes[3 * length + i] = array[i] >>> 24;
    }
    this.bytes(bytes);
  }

  finish(): Uint8Array {
    return Buffer.concat(this.#pieces);
  }
}

/** Reads what a {@link PackWriter} wrote. */
export class PackReader {
  readonly #bytes: Uint8Array;
  readonly #view: DataView;
  #at = 0;

  constructor(bytes: Uint8Array) {
    this.#bytes = bytes;
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }

  get isAtEnd(): boolean {
    return this.#at >= this.#bytes.length;
  }

  u32(): number {
    this.#at += 4;
    return this.#view.getUint32(this.#at - 4, true);
  }

  bytes(): Uint8Array {
    const length = this.u32();
    this.#at += length;
    if (this.#at > this.#bytes.length) throw new Error('Packed weights break off.');
    return this.#bytes.subarray(this.#at - length, this.#at);
  }

  rising(count: number): Uint32Array {
    const bytes = this.bytes();
    const list = new Uint32Array(count);
    let [at, last] = [0, 0];
    for (let i = 0; i < count; i++) {
      let [step, shift] = [0, 0];
      for (; bytes[at] & 128; shift += 7) step |= (bytes[at++] & 127) << shift;
      step |= bytes[at++] << shift;
      list[i] = last += step;
    }
    return list;
  }

  pairs(): Uint16Array {
    const bytes = this.bytes();
    const length = bytes.length / 2;
    return Uint16Array.from({ length }, (_, i) => bytes[i] | (bytes[length + i] << 8));
  }

  planes(): Uint32Array {
    const bytes = this.bytes();
    const length = bytes.length / 4;
    const array = new Uint32Array(length);
    for (let i = 0; i < length; i++)
      array[i] =
        bytes[i] | (bytes[length + i] << 8) | (bytes[2 * length + i] << 16) | (bytes[3 * length + i] << 24);
    return array;
  }
}
