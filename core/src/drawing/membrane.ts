/**
 * Places inside a mesh as means of their neighbours, held by the places of its rim: a banded Cholesky factor of the
 * graph's Laplacian, since places inside come in rows.
 */
export interface Membrane {
  /** How many places are held; those behind them are solved for. */
  readonly held: number;
  readonly count: number;
  /** Neighbours of each place inside: starts[i] .. starts[i + 1] of `others`. */
  readonly starts: Uint32Array;
  readonly others: Uint32Array;
  readonly band: number;
  /** Rows of the factor, band + 1 numbers each, the diagonal last. */
  readonly factor: Float64Array;
}

/** @param held places before this one are given; @param count all places */
export function planMembrane(triangles: Uint32Array, held: number, count: number): Membrane {
  const inner = count - held;
  const around = Array.from({ length: inner }, () => new Set<number>());
  for (let t = 0; t < triangles.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const a = triangles[t + k];
      if (a >= held) around[a - held].add(triangles[t + ((k + 1) % 3)]).add(triangles[t + ((k + 2) % 3)]);
    }
  const starts = new Uint32Array(inner + 1);
  let band = 0;
  around.forEach((others, i) => {
    starts[i + 1] = starts[i] + others.size;
    for (const other of others) if (other >= held) band = Math.max(band, Math.abs(other - held - i));
  });
  const others = Uint32Array.from(around.flatMap((each) => [...each]));
  return { held, count, starts, others, band, factor: factorBanded(starts, others, held, inner, band) };
}

function factorBanded(
  starts: Uint32Array,
  others: Uint32Array,
  held: number,
  inner: number,
  band: number,
): Float64Array {
  const width = band + 1;
  const factor = new Float64Array(inner * width);
  for (let i = 0; i < inner; i++) {
    factor[i * width + band] = Math.max(1, starts[i + 1] - starts[i]);
    for (let k = starts[i]; k < starts[i + 1]; k++) {
      const j = others[k] - held;
      if (j >= 0 && j < i) factor[i * width + band + j - i] = -1;
    }
  }
  for (let i = 0; i < inner; i++) {
    const first = Math.max(0, i - band);
    for (let j = first; j <= i; j++) {
      let sum = factor[i * width + band + j - i];
      for (let k = Math.max(first, j - band); k < j; k++)
        sum -= factor[i * width + band + k - i] * factor[j * width + band + k - j];
      factor[i * width + band + j - i] =
        i === j ? Math.sqrt(Math.max(sum, 1e-9)) : sum / factor[j * width + band];
    }
  }
  return factor;
}

/** Solves for one number a place: `values` is given for held places and is filled in for the others; `step` apart from `at` on. */
export function solveMembrane(
  { held, count, starts, others, band, factor }: Membrane,
  values: Float32Array,
  step: number,
  at: number,
): void {
  const inner = count - held;
  const width = band + 1;
  const right = new Float64Array(inner);
  for (let i = 0; i < inner; i++) {
    let sum = 0;
    for (let k = starts[i]; k < starts[i + 1]; k++)
      if (others[k] < held) sum += values[others[k] * step + at];
    for (let j = Math.max(0, i - band); j < i; j++) sum -= factor[i * width + band + j - i] * right[j];
    right[i] = sum / factor[i * width + band];
  }
  for (let i = inner - 1; i >= 0; i--) {
    let sum = right[i];
    for (let j = i + 1; j <= Math.min(inner - 1, i + band); j++)
      sum -= factor[j * width + band + i - j] * right[j];
    right[i] = sum / factor[i * width + band];
    values[(held + i) * step + at] = right[i];
  }
}
