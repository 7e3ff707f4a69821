/**
 * Vertices told apart by several indices each, as formats have them that number positions, normals and texture coordinates
 * on their own: one vertex of a glTF for each combination that is used.
 */
export class VertexTable {
  readonly #width: number;
  /** By first index: its newest vertex, −1 for none. */
  readonly #heads: Int32Array;
  /** By vertex: the one before it with the same first index, −1 for none. */
  #before: Int32Array;
  #indices: Int32Array;
  count = 0;

  /**
   * @param width      indices a vertex
   * @param firstCount how many first indices there are
   */
  constructor(width: number, firstCount: number) {
    this.#width = width;
    this.#heads = new Int32Array(firstCount).fill(-1);
    this.#before = new Int32Array(1024);
    this.#indices = new Int32Array(1024 * width);
  }

  /** The vertex of some indices: `of[at]` onwards, the first below `firstCount`. */
  vertexAt(of: Int32Array, at: number): number {
    const width = this.#width;
    const first = of[at];
    for (let vertex = this.#heads[first]; vertex >= 0; vertex = this.#before[vertex]) {
      let k = 1;
      while (k < width && this.#indices[vertex * width + k] === of[at + k]) k++;
      if (k === width) return vertex;
    }
    if (this.count === this.#before.length) this.#grow();
    const vertex = this.count++;
    this.#before[vertex] = this.#heads[first];
    this.#heads[first] = vertex;
    for (let k = 0; k < width; k++) this.#indices[vertex * width + k] = of[at + k];
    return vertex;
  }

  /**
   * Numbers the vertices anew, by their first index, so that they stand as in the file.
   * @returns by vertex: its new number
   */
  settle(): Uint32Array {
    const [count, width, heads] = [this.count, this.#width, this.#heads];
    const numbers = new Uint32Array(count);
    const indices = new Int32Array(count * width);
    let next = 0;
    for (let first = 0; first < heads.length; first++) {
      // The newest comes first in its list.
      let own = 0;
      for (let vertex = heads[first]; vertex >= 0; vertex = this.#before[vertex]) own++;
      let at = next + own;
      for (let vertex = heads[first]; vertex >= 0; vertex = this.#before[vertex]) {
        numbers[vertex] = --at;
        for (let k = 0; k < width; k++) indices[at * width + k] = this.#indices[vertex * width + k];
      }
      next += own;
    }
    this.#indices = indices;
    return numbers;
  }

  /** A vertex's first index. */
  first(vertex: number): number {
    return this.#indices[vertex * this.#width];
  }

  /** By vertex: its k-th index. */
  column(k: number): Int32Array {
    const [own, width] = [new Int32Array(this.count), this.#width];
    for (let vertex = 0; vertex < own.length; vertex++) own[vertex] = this.#indices[vertex * width + k];
    return own;
  }

  #grow(): void {
    const grown = (array: Int32Array): Int32Array => {
      const next = new Int32Array(array.length * 2);
      next.set(array);
      return next;
    };
    this.#before = grown(this.#before);
    this.#indices = grown(this.#indices);
  }
}

/** The rows of a table, one for each of some numbers; a number below nothing gives a row of nothing. */
export function gatherRows(
  values: Float32Array,
  width: number,
  rows: Int32Array,
  own: number = width,
): Float32Array {
  const gathered = new Float32Array(rows.length * own);
  for (let i = 0; i < rows.length; i++) {
    if (rows[i] < 0) continue;
    for (let k = 0; k < own && k < width; k++) gathered[i * own + k] = values[rows[i] * width + k];
  }
  return gathered;
}

/** Whole numbers that are added to. */
export class GrowingIndices {
  #values = new Uint32Array(1024);
  #length = 0;

  add(more: ArrayLike<number>): void {
    if (this.#length + more.length > this.#values.length) {
      const grown = new Uint32Array(Math.max(this.#values.length * 2, this.#length + more.length));
      grown.set(this.#values);
      this.#values = grown;
    }
    for (let i = 0; i < more.length; i++) this.#values[this.#length + i] = more[i];
    this.#length += more.length;
  }

  /** @param numbers what each of them becomes */
  all(numbers: Uint32Array): Uint32Array {
    const own = new Uint32Array(this.#length);
    for (let i = 0; i < own.length; i++) own[i] = numbers[this.#values[i]];
    return own;
  }
}
