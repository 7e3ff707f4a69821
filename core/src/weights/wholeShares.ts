/** A sum below this is that of nothing. */
const LEAST = 1e-20;

/**
 * Weights of one vertex as whole numbers that sum to `whole` exactly: each is rounded down, and the largest remainders get
 * one more (Hamilton's method; of equals the first). All are nothing where the weights are.
 *
 * @param weights `count` numbers from `from`, none below zero; they need not sum to one
 * @param into    the same places
 */
export function wholeShares(
  weights: ArrayLike<number>,
  from: number,
  count: number,
  whole: number,
  into: Uint8Array | Uint16Array,
): void {
  let sum = 0;
  for (let k = from; k < from + count; k++) sum += weights[k];
  into.fill(0, from, from + count);
  if (!(sum > LEAST)) return;
  const scale = whole / sum;
  let left = whole;
  for (let k = from; k < from + count; k++) left -= into[k] = Math.floor(weights[k] * scale + 1e-9);
  for (; left > 0; left--) {
    let best = from;
    let most = -Infinity;
    for (let k = from; k < from + count; k++) {
      const remainder = weights[k] * scale - into[k];
      if (weights[k] > 0 && remainder > most) [best, most] = [k, remainder];
    }
    into[best]++;
  }
}
