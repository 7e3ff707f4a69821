/**
 * A factor L·D·Lᵀ, L with ones on its diagonal.
 * - `starts`  Uint32Array, size + 1; `rows` Uint32Array, `values` Float64Array: L below the diagonal, by columns.
 * - `diagonal`  Float64Array, size: D.
 */
export interface LdlFactor {
  readonly size: number;
  readonly starts: Uint32Array;
  readonly rows: Uint32Array;
  readonly values: Float64Array;
  readonly diagonal: Float64Array;
}

/** Right-hand sides that are solved side by side. */
export const SOLVE_WIDTH = 8;

/** The work space of a factorization, in the kernels' memory. */
export interface LdlWork {
  readonly starts: Uint32Array;
  readonly rows: Uint32Array;
  readonly values: Float64Array;
  readonly parents: Int32Array;
  /** Where the next entry of each column of L goes. */
  readonly ends: Uint32Array;
  readonly marks: Int32Array;
  readonly pattern: Uint32Array;
  readonly sums: Float64Array;
}

/**
 * Rows `from` to `to` of the factor, up-looking (Davis 2005). Twin of ldlColumns in core/kernels/ldl.ts.
 * @returns the row whose pivot is not positive, or -1
 */
export function ldlColumns(factor: LdlFactor, work: LdlWork, from: number, to: number): number {
  const { starts: columns, rows: below, values: entries, diagonal } = factor;
  const { starts, rows, values, parents, ends, marks, pattern, sums } = work;
  const { size } = factor;
  for (let k = from; k < to; k++) {
    // 1. The pattern of row k of L: up the tree from every entry of the matrix's column k.
    let top = size;
    let pivot = 0;
    marks[k] = k;
    for (let e = starts[k]; e < starts[k + 1]; e++) {
      let i = rows[e];
      if (i > k) continue;
      if (i === k) {
        pivot += values[e];
        continue;
      }
      sums[i] += values[e];
      let length = 0;
      for (; marks[i] !== k; i = parents[i]) {
        pattern[length++] = i;
        marks[i] = k;
      }
      while (length > 0) pattern[--top] = pattern[--length];
    }
    // 2. Eliminate along it.
    for (; top < size; top++) {
      const i = pattern[top];
      const sum = sums[i];
      sums[i] = 0;
      const end = ends[i];
      for (let e = columns[i]; e < end; e++) sums[below[e]] -= entries[e] * sum;
      const entry = sum / diagonal[i];
      pivot -= entry * sum;
      below[end] = k;
      entries[end] = entry;
      ends[i] = end + 1;
    }
    diagonal[k] = pivot;
    if (!(pivot > 0) || pivot === Infinity) return k;
  }
  return -1;
}

/**
 * Solves for SOLVE_WIDTH right-hand sides at once, in place: `sides` is Float64Array, SOLVE_WIDTH·size, the sides of a
 * row beside each other. Twin of ldlSolve.
 *
 * Rows whose solutions all are below `tiny` count as zero, and whole branches of the elimination tree below such rows are
 * passed over: heat from one joint does not reach the other end of a body. In a diagonally dominant matrix without
 * positive entries beside the diagonal, as heat's, no solution is off by more than a few times `tiny`. With a `tiny` of
 * zero nothing is left out but what is exactly zero.
 *
 * @param quiet Uint8Array, size: 1 where the row and all above it in the tree are zero
 */
export function ldlSolve(factor: LdlFactor, sides: Float64Array, quiet: Uint8Array, tiny: number): void {
  const { size, starts, rows, values, diagonal } = factor;
  for (let k = 0; k < size; k++) {
    const own = sides.slice(k * SOLVE_WIDTH, (k + 1) * SOLVE_WIDTH);
    if (own.every((x) => x === 0)) continue;
    for (let e = starts[k]; e < starts[k + 1]; e++) {
      const row = rows[e] * SOLVE_WIDTH;
      for (let s = 0; s < SOLVE_WIDTH; s++) sides[row + s] -= values[e] * own[s];
    }
  }
  for (let k = size - 1; k >= 0; k--) {
    const own = sides.slice(k * SOLVE_WIDTH, (k + 1) * SOLVE_WIDTH);
    // A column's first entry is its parent in the tree; all others stand further up.
    const isCalm = starts[k] === starts[k + 1] || quiet[rows[starts[k]]] !== 0;
    if (isCalm && own.every((x) => x === 0)) {
      quiet[k] = 1;
      continue;
    }
    const pivot = 1 / diagonal[k];
    for (let s = 0; s < SOLVE_WIDTH; s++) own[s] *= pivot;
    for (let e = starts[k]; e < starts[k + 1]; e++) {
      const row = rows[e] * SOLVE_WIDTH;
      for (let s = 0; s < SOLVE_WIDTH; s++) own[s] -= values[e] * sides[row + s];
    }
    const isTiny = own.every((x) => !(Math.abs(x) >= tiny));
    if (isTiny) own.fill(0);
    quiet[k] = isTiny && isCalm ? 1 : 0;
    sides.set(own, k * SOLVE_WIDTH);
  }
}
