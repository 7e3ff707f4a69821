import { segmentsOf, type Outline, type Shape } from './drawing.ts';

/**
 * Places along outlines, each a mix of at most four vertices: as vertices move, so do they.
 *
 * - `vertices` Uint32Array, 4 a place; `shares` Float32Array, 4 a place, summing to one.
 * - `lines`    where each outline's places begin, and behind the last; a closed outline does not repeat its first.
 */
export interface Samples {
  readonly count: number;
  readonly vertices: Uint32Array;
  readonly shares: Float32Array;
  readonly lines: readonly number[];
}

/** A curve has at least so many places and at most so many. */
const MIN_STEPS = 2;
const MAX_STEPS = 48;
/** How far the places' line may leave the curve, as a share of the spacing, unless something else is asked for. */
const FLATNESS = 0.04;

/**
 * Lays places along a shape's outlines.
 *
 * @param positions Float32Array, 3 a vertex: how curved and how long the segments are at rest
 * @param spacing   the greatest distance between places, in units of the positions
 * @param tolerance how far the line through them may leave the curve
 */
export function sampleShape(
  shape: Pick<Shape, 'outlines'>,
  positions: Float32Array,
  spacing: number,
  tolerance = FLATNESS * spacing,
): Samples {
  const vertices: number[] = [];
  const shares: number[] = [];
  const lines = [0];
  for (const outline of shape.outlines) {
    sampleOutline(outline, positions, spacing, tolerance, vertices, shares);
    lines.push(vertices.length / 4);
  }
  return {
    count: vertices.length / 4,
    vertices: Uint32Array.from(vertices),
    shares: Float32Array.from(shares),
    lines,
  };
}

function sampleOutline(
  outline: Outline,
  positions: Float32Array,
  spacing: number,
  tolerance: number,
  vertices: number[],
  shares: number[],
): void {
  for (const of of segmentsOf(outline)) {
    const steps = stepsOf(of, positions, spacing, tolerance);
    const [a, b, c, d] = of.length === 4 ? of : [of[0], of[0], of[0], of[1]];
    for (let k = 0; k < steps; k++) {
      const t = k / steps;
      vertices.push(a, b, c, d);
      if (of.length === 2) shares.push(1 - t, 0, 0, t);
      else shares.push((1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t ** 3);
    }
  }
  if (outline.closed || vertices.length === 0) return;
  const last = segmentsOf(outline).at(-1)?.at(-1) ?? outline.first;
  vertices.push(last, last, last, last);
  shares.push(1, 0, 0, 0);
}

function stepsOf(of: readonly number[], positions: Float32Array, spacing: number, tolerance: number): number {
  let length = 0;
  for (let k = 1; k < of.length; k++) length += distance(positions, of[k - 1], of[k]);
  const even = Math.ceil(length / spacing);
  if (of.length === 2) return Math.max(1, Math.min(MAX_STEPS, even));
  // The chord leaves a cubic by at most √3/18 of its second difference over the steps squared, about.
  const bend = Math.max(
    secondDifference(positions, of[0], of[1], of[2]),
    secondDifference(positions, of[1], of[2], of[3]),
  );
  const round = Math.ceil(Math.sqrt((0.75 * bend) / tolerance));
  return Math.max(MIN_STEPS, Math.min(MAX_STEPS, Math.max(even, round)));
}

const distance = (at: Float32Array, p: number, q: number): number =>
  Math.hypot(at[p * 3] - at[q * 3], at[p * 3 + 1] - at[q * 3 + 1]);

const secondDifference = (at: Float32Array, p: number, q: number, r: number): number =>
  Math.hypot(at[p * 3] - 2 * at[q * 3] + at[r * 3], at[p * 3 + 1] - 2 * at[q * 3 + 1] + at[r * 3 + 1]);

/** Where the places are while the vertices are at `positions`: written to `out`, 2 a place, from place `from` on. */
export function placeSamples(
  { count, vertices, shares }: Samples,
  positions: Float32Array,
  out: Float32Array,
  from = 0,
): void {
  for (let s = 0; s < count; s++) {
    let x = 0;
    let y = 0;
    for (let k = s * 4; k < s * 4 + 4; k++) {
      const v = vertices[k] * 3;
      x += shares[k] * positions[v];
      y += shares[k] * positions[v + 1];
    }
    out[(from + s) * 2] = x;
    out[(from + s) * 2 + 1] = y;
  }
}

/** One number a vertex, mixed as the places are. */
export function mixSamples(
  { count, vertices, shares }: Samples,
  values: Float32Array,
  out: Float32Array,
  from = 0,
): void {
  for (let s = 0; s < count; s++) {
    let sum = 0;
    for (let k = s * 4; k < s * 4 + 4; k++) sum += shares[k] * values[vertices[k]];
    out[from + s] = sum;
  }
}
