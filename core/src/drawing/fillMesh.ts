import Delaunator from 'delaunator';
import { outlinesOfShape, type Shape } from './drawing.ts';
import { isInside } from './inside.ts';
import { planMembrane, type Membrane } from './membrane.ts';
import { placeSamples, sampleShape, type Samples } from './samples.ts';

/**
 * A filled shape as even triangles: first the places along its outlines, then places inside. As the outline bends, the
 * inside follows as a membrane that is held by it.
 */
export interface FillMesh {
  readonly samples: Samples;
  /** Places of the outlines and inside. */
  readonly count: number;
  /** Float32Array, 2 a place: at rest. */
  readonly rest: Float32Array;
  readonly triangles: Uint32Array;
  readonly membrane: Membrane;
}

/** Triangles of a shape have sides of about so much of its spacing between rows. */
const ROW = Math.sqrt(3) / 2;
/** Nearer to the outline than this share of the spacing there are no places inside. */
const CLEAR = 0.55;

/**
 * Fills a shape with triangles: places in rows inside, and Delaunay's triangulation (1934) of them with those along the
 * outline. What lies outside by the shape's rule is left out.
 *
 * @param positions Float32Array, 3 a vertex: the layer at rest
 * @param spacing   sides of the triangles, in units of the positions
 * @param tolerance how far their outline may leave the curves
 */
export function fillShape(
  shape: Shape,
  positions: Float32Array,
  spacing: number,
  tolerance?: number,
): FillMesh {
  const samples = sampleShape({ outlines: outlinesOfShape(shape) }, positions, spacing, tolerance);
  const outline = new Float32Array(samples.count * 2);
  placeSamples(samples, positions, outline);
  const inside = insideOf(shape, outline, samples.lines);
  const inner = placesInside(outline, spacing, inside);
  const rest = new Float32Array(outline.length + inner.length);
  rest.set(outline);
  rest.set(inner, outline.length);
  const kept: number[] = [];
  const found = rest.length >= 6 ? new Delaunator(rest).triangles : [];
  for (let t = 0; t < found.length; t += 3) {
    const [a, b, c] = [found[t], found[t + 1], found[t + 2]];
    const x = (rest[a * 2] + rest[b * 2] + rest[c * 2]) / 3;
    const y = (rest[a * 2 + 1] + rest[b * 2 + 1] + rest[c * 2 + 1]) / 3;
    if (inside(x, y)) kept.push(a, b, c);
  }
  const triangles = Uint32Array.from(kept);
  return {
    samples,
    count: rest.length / 2,
    rest,
    triangles,
    membrane: planMembrane(triangles, samples.count, rest.length / 2),
  };
}

/** Whether a place is filled, and not clipped away. */
function insideOf(
  { outlines, fillRule, clip }: Shape,
  places: Float32Array,
  lines: readonly number[],
): (x: number, y: number) => boolean {
  const own = { places, lines: lines.slice(0, outlines.length + 1) };
  const around = { places, lines: lines.slice(outlines.length) };
  return (x, y) => isInside(own, x, y, fillRule) && (!clip || isInside(around, x, y, clip.rule));
}

/** Rows of places, each second one moved by half, that are inside and clear of the outline. */
function placesInside(
  outline: Float32Array,
  spacing: number,
  isInner: (x: number, y: number) => boolean,
): number[] {
  const inner: number[] = [];
  if (outline.length < 6) return inner;
  let [left, right, low, high] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let k = 0; k < outline.length; k += 2) {
    left = Math.min(left, outline[k]);
    right = Math.max(right, outline[k]);
    low = Math.min(low, outline[k + 1]);
    high = Math.max(high, outline[k + 1]);
  }
  const near = nearnessTo(outline, CLEAR * spacing);
  let row = 0;
  for (let y = low + spacing / 2; y < high; y += ROW * spacing, row++)
    for (let x = left + (row % 2 === 0 ? 0.25 : 0.75) * spacing; x < right; x += spacing)
      if (!near(x, y) && isInner(x, y)) inner.push(x, y);
  return inner;
}

/** Whether some place of the outline is within a distance; asked by cells of that size. */
function nearnessTo(outline: Float32Array, distance: number): (x: number, y: number) => boolean {
  const cells = new Map<string, number[]>();
  const cell = (value: number): number => Math.floor(value / distance);
  for (let k = 0; k < outline.length; k += 2) {
    const key = `${cell(outline[k])},${cell(outline[k + 1])}`;
    const held = cells.get(key);
    if (held) held.push(k);
    else cells.set(key, [k]);
  }
  return (x, y) => {
    for (let i = cell(x) - 1; i <= cell(x) + 1; i++)
      for (let j = cell(y) - 1; j <= cell(y) + 1; j++)
        for (const k of cells.get(`${i},${j}`) ?? [])
          if ((outline[k] - x) ** 2 + (outline[k + 1] - y) ** 2 < distance * distance) return true;
    return false;
  };
}
