/** CSS pixels a unit (CSS Values 3, section 6.2). */
const PIXELS: Readonly<Partial<Record<string, number>>> = {
  '': 1,
  px: 1,
  pt: 96 / 72,
  pc: 16,
  mm: 96 / 25.4,
  cm: 96 / 2.54,
  in: 96,
  q: 96 / 101.6,
  em: 16,
  rem: 16,
  ex: 8,
};

/**
 * A length in pixels.
 * @param whole what a percentage is of
 * @returns undefined where there is none that can be read
 */
export function readLength(text: string | undefined, whole: number): number | undefined {
  const match = /^\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?)\s*(%|[a-z]*)\s*$/i.exec(text ?? '');
  if (!match) return undefined;
  const number = Number(match[1]);
  if (match[2] === '%') return (number / 100) * whole;
  const pixels = PIXELS[match[2].toLowerCase()];
  return pixels === undefined ? undefined : number * pixels;
}
