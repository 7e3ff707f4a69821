/** How a brush fades from its centre (0) to its rim (1). */
export type Falloff = 'smooth' | 'round' | 'linear' | 'sharp' | 'flat';

export const FALLOFFS: readonly Falloff[] = ['smooth', 'round', 'linear', 'sharp', 'flat'];

/** Share of the strength at `t` (0 at the centre, 1 at the rim and beyond): 1 → 0, never rising. */
export function falloffAt(falloff: Falloff, t: number): number {
  if (t >= 1) return 0;
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

function unknownFalloff(falloff: never): never {
  throw new Error(`No such falloff: ${String(falloff)}`);
}
