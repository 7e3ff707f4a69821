import { boundedShares, createSharesWorkspace, quadratic } from '../../solve/boundedShares.ts';

/** The most joints a point is solved for. */
export const MAX_SETTLED = 16;
/** Less than this is no influence. */
const MIN_SHARE = 1e-4;

/**
 * One point's weights after the other: those that bring it nearest to its targets in some poses. Least squares with bounds, in
 * room that is used again.
 */
export class ShareSolver {
  /** By candidate: what {@link drawTo} draws to. */
  readonly mean = new Float64Array(MAX_SETTLED);
  readonly #gram = new Float64Array(MAX_SETTLED * MAX_SETTLED);
  readonly #shares = new Float64Array(MAX_SETTLED);
  readonly #tried = new Float64Array(MAX_SETTLED);
  readonly #best = new Float64Array(MAX_SETTLED);
  readonly #chosen = new Int32Array(MAX_SETTLED);
  readonly #workspace = createSharesWorkspace(MAX_SETTLED);
  #n = 0;

  /** @param n candidates, at most {@link MAX_SETTLED}; @param gram n × n: what poses have said already; its lower half counts */
  begin(n: number, gram: Float64Array): void {
    this.#n = n;
    this.#gram.set(gram);
  }

  /** The squares of how far weights are off, summed over the poses. */
  cost(weights: Float64Array): number {
    this.#mirror();
    return quadratic(this.#gram, this.#n, weights);
  }

  /** The upper half like the lower one. */
  #mirror(): void {
    const [n, gram] = [this.#n, this.#gram];
    for (let c = 0; c < n; c++) for (let d = 0; d < c; d++) gram[d * n + c] = gram[c * n + d];
  }

  /** What the poses say altogether. */
  trace(): number {
    let sum = 0;
    for (let c = 0; c < this.#n; c++) sum += this.#gram[c * this.#n + c];
    return sum;
  }

  /** Draws the shares to `mean`: by·|w − mean|², for shares that sum to one. */
  drawTo(by: number): void {
    const [n, gram, mean] = [this.#n, this.#gram, this.mean];
    let square = 0;
    for (let c = 0; c < n; c++) square += mean[c] * mean[c];
    for (let c = 0; c < n; c++)
      for (let d = 0; d <= c; d++) gram[c * n + d] += by * ((c === d ? 1 : 0) - mean[c] - mean[d] + square);
  }

  /** Draws a candidate's share to nothing: by·w². */
  weighOn(candidate: number, by: number): void {
    this.#gram[candidate * this.#n + candidate] += by;
  }

  /**
   * The best weights; locked joints keep theirs.
   * @param weights all candidates' weights, in and out, the point's from `from` on
   * @param limit   influences that may be left, the locked ones among them
   * @returns whether there was anything to choose
   */
  solve(weights: Float64Array, joints: Uint16Array, from: number, locks: Uint8Array, limit: number): boolean {
    const [n, gram, shares, chosen] = [this.#n, this.#gram, this.#shares, this.#chosen];
    this.#mirror();
    let [count, sum, held] = [0, 0, 0];
    for (let c = 0; c < n; c++) {
      shares[c] = weights[from + c];
      if (locks[joints[from + c]]) {
        if (shares[c] > 0) held++;
        continue;
      }
      chosen[count++] = c;
      sum += shares[c];
    }
    if (count < 2 || sum <= 0) return false;
    boundedShares(gram, n, chosen, count, sum, shares, this.#workspace);
    if (limit < n) this.#limit(count, sum, Math.max(1, limit - held));
    for (let c = 0; c < n; c++) weights[from + c] = shares[c];
    return true;
  }

  /** Takes the influence away whose loss costs least, until few enough are left. */
  #limit(count: number, sum: number, most: number): void {
    const [n, gram, shares, chosen, tried] = [this.#n, this.#gram, this.#shares, this.#chosen, this.#tried];
    let left = 0;
    for (let c = 0; c < count; c++) {
      if (shares[chosen[c]] > MIN_SHARE) chosen[left++] = chosen[c];
      else shares[chosen[c]] = 0;
    }
    if (left <= most) boundedShares(gram, n, chosen, left, sum, shares, this.#workspace);
    for (; left > most; left--) {
      let [worst, least] = [0, Infinity];
      for (let out = 0; out < left; out++) {
        const gone = chosen[out];
        tried.set(shares);
        tried[gone] = 0;
        chosen[out] = chosen[left - 1];
        const cost = boundedShares(gram, n, chosen, left - 1, sum, tried, this.#workspace);
        chosen[out] = gone;
        if (cost >= least) continue;
        [worst, least] = [out, cost];
        this.#best.set(tried);
      }
      chosen[worst] = chosen[left - 1];
      shares.set(this.#best);
    }
  }
}
