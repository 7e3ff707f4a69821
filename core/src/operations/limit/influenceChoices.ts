import { boundedShares, createSharesWorkspace, quadratic } from '../../solve/boundedShares.ts';

/** Influences at a point, at most, that there is room for; of more, the greatest are looked at. */
export const MAX_LOOKED = 64;
/** Of so many that may stay or go, the greatest are thought about; the others go in any case. */
const MAX_OPEN = 24;
/** So many choices are tried one by one; beyond, the least useful influence goes, again and again. */
const MAX_CHOICES = 150;

/** Which of a point's influences stay, and what they get. */
export interface Choice {
  /** Of the influences' numbers, those that stay. */
  readonly kept: Int32Array;
  /** By influence. */
  readonly weights: Float64Array;
  /** wᵀ·G·w. */
  readonly squares: number;
}

const workspace = createSharesWorkspace(MAX_LOOKED);

/**
 * The choices of influences that stay at a point, best first by how far they move it, each with the weights that move it
 * least. All are tried where they are few; else those that are left when the least useful ones go one by one.
 *
 * @param gram    n × n, see PointMovement.gram
 * @param weights what each has now
 * @param fixed   1 where an influence stays as it is
 * @param limit   how many may stay, the fixed ones among them
 * @param most    so many are given back
 */
export function bestChoices(
  gram: Float64Array,
  weights: Float64Array,
  fixed: Uint8Array,
  limit: number,
  most: number,
): Choice[] {
  const n = weights.length;
  const open = Array.from(weights.keys()).filter((i) => !fixed[i]);
  const room = Math.max(0, limit - (n - open.length));
  if (room === 0 || open.length === 0) return [];
  const likely = [...open]
    .sort((a, b) => weights[b] - weights[a] || a - b)
    .slice(0, Math.max(MAX_OPEN, room));
  const take = Math.min(room, likely.length);
  const lists =
    choicesOf(likely.length, take) <= MAX_CHOICES
      ? combinations(likely, take)
      : [eliminate(gram, weights, open, likely, take)];
  return lists
    .map((kept) => fit(gram, weights, open, kept))
    .sort((a, b) => a.squares - b.squares)
    .slice(0, most);
}

/** The best weights for some of the open influences; the fixed ones keep theirs, the others get none. */
export function fit(
  gram: Float64Array,
  weights: Float64Array,
  open: readonly number[],
  kept: ArrayLike<number>,
): Choice {
  const shares = weights.slice();
  let sum = 0;
  for (const i of open) sum += weights[i];
  const stays = Int32Array.from(kept);
  for (const i of open) if (!stays.includes(i)) shares[i] = 0;
  const squares = boundedShares(gram, weights.length, stays, stays.length, sum, shares, workspace);
  return { kept: stays, weights: shares, squares };
}

function choicesOf(n: number, take: number): number {
  let count = 1;
  for (let i = 1; i <= take; i++) count = (count * (n - take + i)) / i;
  return count;
}

function combinations(open: readonly number[], take: number): number[][] {
  if (take === 0) return [[]];
  if (take > open.length) return [];
  const [first, ...rest] = open;
  return [...combinations(rest, take - 1).map((list) => [first, ...list]), ...combinations(rest, take)];
}

/** Drops the influence whose loss moves the point least, until few enough are left. */
function eliminate(
  gram: Float64Array,
  weights: Float64Array,
  open: readonly number[],
  likely: readonly number[],
  take: number,
): number[] {
  let kept = [...likely];
  while (kept.length > take) {
    let [best, least] = [0, Infinity];
    for (let i = 0; i < kept.length; i++) {
      const { squares } = fit(
        gram,
        weights,
        open,
        kept.filter((_, k) => k !== i),
      );
      if (squares < least) [best, least] = [i, squares];
    }
    kept = kept.filter((_, k) => k !== best);
  }
  return kept;
}

/** The largest stay, in proportion: what dropping the smallest weights does. */
export function largestStay(
  gram: Float64Array,
  weights: Float64Array,
  fixed: Uint8Array,
  limit: number,
): Choice {
  const open = Array.from(weights.keys()).filter((i) => !fixed[i]);
  const room = Math.max(0, limit - (weights.length - open.length));
  const kept = [...open].sort((a, b) => weights[b] - weights[a] || a - b).slice(0, room);
  let [all, left] = [0, 0];
  for (const i of open) all += weights[i];
  for (const i of kept) left += weights[i];
  const shares = weights.map((weight, i) =>
    fixed[i] ? weight : kept.includes(i) && left > 0 ? (weight * all) / left : 0,
  );
  return { kept: Int32Array.from(kept), weights: shares, squares: quadratic(gram, weights.length, shares) };
}
