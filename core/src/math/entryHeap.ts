/** A binary heap of numbered entries by key, least first; an entry may stand in it more than once. */
export class EntryHeap {
  #keys: Float32Array;
  #entries: Uint32Array;
  size = 0;

  constructor(capacity: number) {
    this.#keys = new Float32Array(Math.max(16, capacity));
    this.#entries = new Uint32Array(Math.max(16, capacity));
  }

  get leastKey(): number {
    return this.#keys[0];
  }

  push(key: number, entry: number): void {
    if (this.size === this.#keys.length) this.#grow();
    const keys = this.#keys;
    const entries = this.#entries;
    let i = this.size++;
    while (i > 0) {
      const up = (i - 1) >> 1;
      if (keys[up] <= key) break;
      keys[i] = keys[up];
      entries[i] = entries[up];
      i = up;
    }
    keys[i] = key;
    entries[i] = entry;
  }

  /** Takes out the entry with the least key; the heap must not be empty. */
  pop(): number {
    const keys = this.#keys;
    const entries = this.#entries;
    const top = entries[0];
    const size = --this.size;
    const key = keys[size];
    const entry = entries[size];
    let i = 0;
    for (;;) {
      let child = 2 * i + 1;
      if (child >= size) break;
      if (child + 1 < size && keys[child + 1] < keys[child]) child++;
      if (keys[child] >= key) break;
      keys[i] = keys[child];
      entries[i] = entries[child];
      i = child;
    }
    keys[i] = key;
    entries[i] = entry;
    return top;
  }

  #grow(): void {
    const keys = new Float32Array(this.#keys.length * 2);
    keys.set(this.#keys);
    const entries = new Uint32Array(this.#entries.length * 2);
    entries.set(this.#entries);
    this.#keys = keys;
    this.#entries = entries;
  }
}
