/** How a brush fades from its centre (0) to its rim (1). */
export type Falloff = 'smooth' | 'round' | 'linear' | 'sharp' | 'flat';

export const FALLOFFS: readonly Falloff[] = ['smooth', 'round', 'linear', 'sharp', 'flat'];

/** A falloff of one's own: shares of the strength at even steps from the centre to the rim, at least two. */
export type FalloffCurve = readonly number[];

/** Share of the strength at `t` (0 at the centre, 1 at the rim and beyond): 1 → 0, never rising. */
export function falloffAt(falloff: Falloff | FalloffCurve, t: number): number {
  if (t >= 1) return 0;
  if (typeof falloff !== 'string') return alongCurve(falloff, Math.max(0, t));
  const s = 1 - Math.max(0, t);
  switch (falloff) {
    case 'smooth':
      return s * s * (3 - 2 * s);
    case 'round':
      return Math.sqrt(1 - (1 - s) * (1 - s));
    case 'linear':
      return s;
    case 'sharp':
      return s * s;
    case 'flat':
      return 1;
    default:
      return unknownFalloff(falloff);
  }
}

/** A smooth line through the curve's steps (Catmull & Rom 1974), kept within 0 and 1. */
function alongCurve(curve: FalloffCurve, t: number): number {
  const last = curve.length - 1;
  const at = t * last;
  const i = Math.min(last - 1, Math.floor(at));
  const u = at - i;
  const [a, b, c, d] = [curve[Math.max(0, i - 1)], curve[i], curve[i + 1], curve[Math.min(last, i + 2)]];
  const value = b + 0.5 * u * (c - a + u * (2 * a - 5 * b + 4 * c - d + u * (3 * (b - c) + d - a)));
  return Math.max(0, Math.min(1, value));
}

function unknownFalloff(falloff: never): never {
  throw new Error(`No such falloff: ${String(falloff)}`);
}
