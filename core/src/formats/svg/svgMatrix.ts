/** a, b, c, d, e, f of SVG: x' = a·x + c·y + e, y' = b·x + d·y + f. */
export type SvgMatrix = readonly [number, number, number, number, number, number];

export const SAME: SvgMatrix = [1, 0, 0, 1, 0, 0];

/** First `inner`, then `outer`. */
export function times(outer: SvgMatrix, inner: SvgMatrix): SvgMatrix {
  const [a, b, c, d, e, f] = outer;
  const [p, q, r, s, t, u] = inner;
  return [a * p + c * q, b * p + d * q, a * r + c * s, b * r + d * s, a * t + c * u + e, b * t + d * u + f];
}

/** The way back; undefined where a matrix squeezes everything into a line. */
export function inverse([a, b, c, d, e, f]: SvgMatrix): SvgMatrix | undefined {
  const size = a * d - b * c;
  if (size === 0 || !Number.isFinite(size)) return undefined;
  return [d / size, -b / size, -c / size, a / size, (c * f - d * e) / size, (b * e - a * f) / size];
}

/** How much lengths grow in the mean. */
export const meanScale = ([a, b, c, d]: SvgMatrix): number => Math.sqrt(Math.abs(a * d - b * c));

const STEPS: Readonly<Partial<Record<string, (n: number[]) => SvgMatrix | undefined>>> = {
  matrix: (n) => (n.length === 6 ? [n[0], n[1], n[2], n[3], n[4], n[5]] : undefined),
  translate: ([x, y = 0]) => [1, 0, 0, 1, x, y],
  scale: ([x, y = x]) => [x, 0, 0, y, 0, 0],
  rotate: ([degrees, x = 0, y = 0]) => {
    const [sine, cosine] = [Math.sin((degrees * Math.PI) / 180), Math.cos((degrees * Math.PI) / 180)];
    return [cosine, sine, -sine, cosine, x - x * cosine + y * sine, y - x * sine - y * cosine];
  },
  skewX: ([degrees]) => [1, 0, Math.tan((degrees * Math.PI) / 180), 1, 0, 0],
  skewY: ([degrees]) => [1, Math.tan((degrees * Math.PI) / 180), 0, 1, 0, 0],
};

/** A `transform` attribute (SVG 1.1, section 7.6); what cannot be read stays out. */
export function readTransform(text: string | undefined): SvgMatrix {
  let matrix = SAME;
  for (const [, name, list] of (text ?? '').matchAll(/(\w+)\s*\(([^)]*)\)/g)) {
    const numbers = (list.match(/[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d+)?/gi) ?? []).map(Number);
    const step = numbers.length > 0 ? STEPS[name]?.(numbers) : undefined;
    if (step?.every(Number.isFinite)) matrix = times(matrix, step);
  }
  return matrix;
}
