/** Room for {@link boundedShares}; one for many calls. */
export interface SharesWorkspace {
  readonly matrix: Float64Array;
  readonly right: Float64Array;
  readonly ones: Float64Array;
  readonly free: Int32Array;
  /** By vector: 1 for those that may have a share; and what those that may not pull with. */
  readonly isChosen: Uint8Array;
  readonly given: Float64Array;
}

export const createSharesWorkspace = (most: number): SharesWorkspace => ({
  matrix: new Float64Array(most * most),
  right: new Float64Array(most),
  ones: new Float64Array(most),
  free: new Int32Array(most),
  isChosen: new Uint8Array(most),
  given: new Float64Array(most),
});

/** Where the data do not decide, shares stay where they were: this much of the products' mean weighs against it. */
const HOLD = 1e-6;
/** Products so small that they lose digits weigh nothing against it. */
const LEAST_HOLD = 1e-100;

/** As {@link findShares}. @returns wᵀ·G·w over all n */
export function boundedShares(
  gram: Float64Array,
  n: number,
  chosen: ArrayLike<number>,
  count: number,
  sum: number,
  shares: Float64Array,
  workspace: SharesWorkspace,
): number {
  findShares(gram, n, chosen, count, sum, shares, workspace);
  return quadratic(gram, n, shares);
}

/**
 * Shares, none below zero, of a given sum, that make wᵀ·G·w least, G being products of vectors: least squares with bounds
 * (Lawson & Hanson 1974, “Solving Least Squares Problems”, chapter 23; an active set, with the sum held by a multiplier).
 * Whoever would fall below zero leaves.
 *
 * @param gram   n × n
 * @param n      how many there are
 * @param chosen those that may have a share
 * @param count  how many are chosen
 * @param sum    of the chosen ones' shares
 * @param shares in: what all have; those not chosen are given. Out: the chosen ones' shares
 */
export function findShares(
  gram: Float64Array,
  n: number,
  chosen: ArrayLike<number>,
  count: number,
  sum: number,
  shares: Float64Array,
  workspace: SharesWorkspace,
): void {
  const { right, free } = workspace;
  let trace = 0;
  for (let i = 0; i < n; i++) trace += gram[i * n + i];
  const hold = Math.max((HOLD * trace) / n, LEAST_HOLD);
  let held = 0;
  for (let i = 0; i < count; i++) held += shares[chosen[i]];
  const scale = held > 0 ? sum / held : 0;
  // Where they were, at the new sum: what the data do not decide is pulled there.
  for (let i = 0; i < count; i++) {
    free[i] = chosen[i];
    shares[chosen[i]] = held > 0 ? shares[chosen[i]] * scale : sum / count;
  }
  findGiven(gram, n, chosen, count, shares, workspace);
  let m = count;
  for (let round = 0; round < 4 * count && m > 0; round++) {
    solveFree(gram, n, m, hold, sum, shares, workspace);
    let worst = -1;
    for (let i = 0; i < m; i++) if (right[i] < 0 && (worst < 0 || right[i] < right[worst])) worst = i;
    if (worst < 0) {
      for (let i = 0; i < m; i++) shares[free[i]] = right[i];
      break;
    }
    shares[free[worst]] = 0;
    free[worst] = free[m - 1];
    m--;
  }
}

/** How those whose shares are given pull at the chosen ones. */
function findGiven(
  gram: Float64Array,
  n: number,
  chosen: ArrayLike<number>,
  count: number,
  shares: Float64Array,
  { isChosen, given }: SharesWorkspace,
): void {
  given.fill(0, 0, n);
  if (count === n) return;
  isChosen.fill(0, 0, n);
  for (let i = 0; i < count; i++) isChosen[chosen[i]] = 1;
  for (let j = 0; j < n; j++) {
    if (isChosen[j] === 1 || shares[j] === 0) continue;
    for (let i = 0; i < n; i++) given[i] += gram[i * n + j] * shares[j];
  }
}

/** The best shares of those that are free, into `right`; may lie below zero. */
function solveFree(
  gram: Float64Array,
  n: number,
  m: number,
  hold: number,
  sum: number,
  shares: Float64Array,
  { matrix, right, ones, free, given }: SharesWorkspace,
): void {
  for (let i = 0; i < m; i++) {
    const row = free[i] * n;
    // The lower half is enough.
    for (let j = 0; j <= i; j++) matrix[i * m + j] = gram[row + free[j]];
    matrix[i * m + i] += hold;
    right[i] = hold * shares[free[i]] - given[free[i]];
    ones[i] = 1;
  }
  factor(matrix, m);
  substitute(matrix, m, right, ones);
  let [have, each] = [0, 0];
  for (let i = 0; i < m; i++) {
    have += right[i];
    each += ones[i];
  }
  const multiplier = (sum - have) / each;
  for (let i = 0; i < m; i++) right[i] += multiplier * ones[i];
}

/** LDLᵀ of a small matrix, in place: D on the diagonal, L below it. */
function factor(a: Float64Array, m: number): void {
  for (let j = 0; j < m; j++) {
    let d = a[j * m + j];
    for (let k = 0; k < j; k++) d -= a[j * m + k] * a[j * m + k] * a[k * m + k];
    a[j * m + j] = d > 0 ? d : 1e-300;
    for (let i = j + 1; i < m; i++) {
      let l = a[i * m + j];
      for (let k = 0; k < j; k++) l -= a[i * m + k] * a[j * m + k] * a[k * m + k];
      a[i * m + j] = l / a[j * m + j];
    }
  }
}

/** Two right sides at once. */
function substitute(a: Float64Array, m: number, x: Float64Array, y: Float64Array): void {
  for (let i = 0; i < m; i++) {
    let [p, q] = [x[i], y[i]];
    for (let k = 0; k < i; k++) {
      p -= a[i * m + k] * x[k];
      q -= a[i * m + k] * y[k];
    }
    x[i] = p;
    y[i] = q;
  }
  for (let i = m - 1; i >= 0; i--) {
    let [p, q] = [x[i] / a[i * m + i], y[i] / a[i * m + i]];
    for (let k = i + 1; k < m; k++) {
      p -= a[k * m + i] * x[k];
      q -= a[k * m + i] * y[k];
    }
    x[i] = p;
    y[i] = q;
  }
}

/** wᵀ·G·w. */
export function quadratic(gram: Float64Array, n: number, w: ArrayLike<number>): number {
  let sum = 0;
  for (let i = 0; i < n; i++) {
    let row = 0;
    for (let j = 0; j < n; j++) row += gram[i * n + j] * w[j];
    sum += w[i] * row;
  }
  return Math.max(0, sum);
}
