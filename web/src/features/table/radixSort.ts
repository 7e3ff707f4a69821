const DIGIT_BITS = 11;
const DIGITS = 1 << DIGIT_BITS;

/**
 * The order in which keys rise; equal ones stay as they stand. Least digits first (Seward 1954): hundreds of thousands of
 * keys in a few milliseconds, where sorting with a comparison takes a tenth of a second.
 *
 * @param bits how many bits of the keys count, from the lowest
 * @returns Uint32Array: places of the keys, the least key's first
 */
export function radixSort(keys: Uint32Array, bits: number): Uint32Array {
  const steps = radixSteps(keys, bits);
  for (;;) {
    const { done, value } = steps.next();
    if (done) return value;
  }
}

/** The same, stopping for a moment after each pass. */
export function* radixSteps(keys: Uint32Array, bits: number): Generator<undefined, Uint32Array> {
  let order = new Uint32Array(keys.length);
  for (let i = 0; i < order.length; i++) order[i] = i;
  let next = new Uint32Array(keys.length);
  const starts = new Uint32Array(DIGITS);
  for (let shift = 0; shift < bits; shift += DIGIT_BITS) {
    starts.fill(0);
    for (let i = 0; i < keys.length; i++) starts[(keys[i] >>> shift) & (DIGITS - 1)]++;
    for (let digit = 0, at = 0; digit < DIGITS; digit++) {
      const count = starts[digit];
      starts[digit] = at;
      at += count;
    }
    for (let i = 0; i < order.length; i++)
      next[starts[(keys[order[i]] >>> shift) & (DIGITS - 1)]++] = order[i];
    [order, next] = [next, order];
    yield;
  }
  return order;
}
