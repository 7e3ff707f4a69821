/** A line's or a cubic curve's places in the page: x, y of its two or four vertices, in doubles. */
export type CurvePlaces = readonly number[];

/** Where a line or a curve is at a share of its way. @param t 0..1 */
export function placeOn(curve: CurvePlaces, t: number): [number, number] {
  const s = 1 - t;
  if (curve.length === 4) return [s * curve[0] + t * curve[2], s * curve[1] + t * curve[3]];
  const [a, b, c, d] = [s * s * s, 3 * t * s * s, 3 * t * t * s, t * t * t];
  return [
    a * curve[0] + b * curve[2] + c * curve[4] + d * curve[6],
    a * curve[1] + b * curve[3] + c * curve[5] + d * curve[7],
  ];
}

/** How much each of the two or four vertices counts at a share of the way (Bernstein). */
export function sharesAt(count: number, t: number): number[] {
  const s = 1 - t;
  return count === 2 ? [s, t] : [s ** 3, 3 * t * s * s, 3 * t * t * s, t ** 3];
}

/**
 * A curve in pieces that together are the same curve (de Casteljau 1959).
 *
 * @param at shares of its way, rising, between 0 and 1
 * @returns one piece more than there are shares
 */
export function splitCurve(curve: CurvePlaces, at: readonly number[]): CurvePlaces[] {
  const pieces: CurvePlaces[] = [];
  let rest = curve;
  let from = 0;
  for (const t of at) {
    const [first, last] = splitOnce(rest, (t - from) / (1 - from));
    pieces.push(first);
    rest = last;
    from = t;
  }
  pieces.push(rest);
  return pieces;
}

function splitOnce(curve: CurvePlaces, t: number): [number[], number[]] {
  let level = [...curve];
  const [first, last]: number[][] = [[], []];
  while (level.length > 0) {
    first.push(level[0], level[1]);
    last.unshift(level[level.length - 2], level[level.length - 1]);
    const next: number[] = [];
    for (let k = 0; k + 2 < level.length; k++) next.push(level[k] + t * (level[k + 2] - level[k]));
    level = next;
  }
  return [first, last];
}

/**
 * Two curves that meet as one: the very one they came from, if they are pieces of one curve; else one that leaves and
 * arrives as they do. Of a line the handles count as lying at its thirds.
 */
export function joinCurves(first: CurvePlaces, last: CurvePlaces): CurvePlaces {
  if (first.length === 4 && last.length === 4) return [first[0], first[1], last[2], last[3]];
  const [a, b] = [asCubic(first), asCubic(last)];
  const [before, after] = [Math.hypot(a[6] - a[4], a[7] - a[5]), Math.hypot(b[2] - b[0], b[3] - b[1])];
  // A cut at t leaves its two handles in the ratio t : 1 − t.
  const t = before + after > 0 ? Math.min(0.95, Math.max(0.05, before / (before + after))) : 0.5;
  return [
    ...[a[0], a[1]],
    ...[a[0] + (a[2] - a[0]) / t, a[1] + (a[3] - a[1]) / t],
    ...[b[6] + (b[4] - b[6]) / (1 - t), b[7] + (b[5] - b[7]) / (1 - t)],
    ...[b[6], b[7]],
  ];
}

/** A line as a curve that is the same line. */
export function asCubic(curve: CurvePlaces): CurvePlaces {
  if (curve.length === 8) return curve;
  const [x, y, u, v] = curve;
  return [x, y, x + (u - x) / 3, y + (v - y) / 3, u - (u - x) / 3, v - (v - y) / 3, u, v];
}

/** Steps in which a curve is gone along before its nearest place is searched for between two of them. */
const STEPS = 24;

/** The place on a line or a curve that is nearest to another place: its share of the way, and how far off it is. */
export function nearestOn(curve: CurvePlaces, x: number, y: number): { at: number; distance: number } {
  const far = (t: number): number => {
    const [u, v] = placeOn(curve, t);
    return Math.hypot(u - x, v - y);
  };
  let best = 0;
  for (let k = 1; k <= STEPS; k++) if (far(k / STEPS) < far(best / STEPS)) best = k;
  let [low, high] = [Math.max(0, (best - 1) / STEPS), Math.min(1, (best + 1) / STEPS)];
  while (high - low > 1e-7) {
    const third = (high - low) / 3;
    if (far(low + third) <= far(high - third)) high -= third;
    else low += third;
  }
  const at = (low + high) / 2;
  return { at, distance: far(at) };
}
