/** A buffer that is put together: each piece begins on a multiple of four. */
export class NewBuffer {
  readonly #pieces: Uint8Array[] = [];
  length = 0;

  /** @returns where it begins */
  add(piece: Uint8Array): number {
    const at = this.length;
    this.#pieces.push(piece);
    this.length += (piece.length + 3) & ~3;
    return at;
  }

  all(): Uint8Array {
    const bytes = new Uint8Array(this.length);
    let at = 0;
    for (const piece of this.#pieces) {
      bytes.set(piece, at);
      at += (piece.length + 3) & ~3;
    }
    return bytes;
  }
}
