import { createCandidates, normalizeCandidates } from './normalize.ts';
import { influenceCount, type WeightRows } from './rows.ts';

/** A row that is mixed of others may have at least so many influences, and as many as those have. */
const USUAL_INFLUENCES = 4;
const NO_LOCKS = new Uint8Array(65536);
const candidates = createCandidates();

/** The points that a row is mixed of, and how much each counts; shares sum to one. */
export interface RowMix {
  readonly of: readonly number[];
  readonly shares: readonly number[];
  /** Influences that it may have; as many as its parents where it is missing. */
  readonly limit?: number;
}

/**
 * Writes the row of a point as a mix of others' rows, normalized; empty where all of those are.
 * @param rows where `of` stand; `out` may be the same
 */
export function mixRows(out: WeightRows, point: number, rows: WeightRows, mix: RowMix): void {
  const { of, shares } = mix;
  const weights = new Map<number, number>();
  let limit = mix.limit ?? USUAL_INFLUENCES;
  of.forEach((p, k) => {
    if (shares[k] === 0) return;
    if (mix.limit === undefined) limit = Math.max(limit, influenceCount(rows, p));
    for (let i = p * rows.stride; i < (p + 1) * rows.stride && rows.values[i] > 0; i++)
      weights.set(rows.joints[i], (weights.get(rows.joints[i]) ?? 0) + shares[k] * rows.values[i]);
  });
  candidates.count = 0;
  for (const [joint, weight] of weights) {
    candidates.joints[candidates.count] = joint;
    candidates.values[candidates.count++] = weight;
  }
  out.values.fill(0, point * out.stride, (point + 1) * out.stride);
  out.joints.fill(0, point * out.stride, (point + 1) * out.stride);
  if (candidates.count > 0)
    normalizeCandidates(out, point, candidates, { fixed: -1, limit, locks: NO_LOCKS });
}
