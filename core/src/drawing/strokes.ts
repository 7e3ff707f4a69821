import type { Shape, Stroke } from './drawing.ts';
import { placeSamples, type Samples } from './samples.ts';

/** A stroked shape as strips: two places for each along its outlines. */
export interface StrokeLine {
  readonly samples: Samples;
  readonly closed: readonly boolean[];
  readonly half: number;
  /** How far open ends reach on. */
  readonly reach: number;
}

/** At a sharp corner a strip reaches at most so many of its half widths out. */
const MITER = 2.5;

export function strokeLine(
  { outlines }: Shape,
  samples: Samples,
  { cap, width }: Stroke,
  scale: number,
): StrokeLine {
  const half = (width * scale) / 2;
  return {
    samples,
    closed: outlines.map((outline) => outline.closed),
    half,
    reach: cap === 'butt' ? 0 : half,
  };
}

/** Triangles of the strips: corners by rising place. */
export function strokeTriangles({ samples: { lines }, closed }: StrokeLine): number[] {
  const triangles: number[] = [];
  lines.slice(0, -1).forEach((first, line) => {
    const end = lines[line + 1];
    for (let k = first; k + 1 < end + (closed[line] ? 1 : 0); k++) {
      const next = k + 1 === end ? first : k + 1;
      const [a, b] = [k * 2, next * 2];
      triangles.push(a, a + 1, b, b, a + 1, b + 1);
    }
  });
  return triangles;
}

/** Where the strips' places are while the points are there: written to `out`, 2 numbers a place, from place `from` on. */
export function placeStroke(
  { samples, closed, half, reach }: StrokeLine,
  points: Float32Array,
  out: Float32Array,
  from: number,
): void {
  const middle = new Float32Array(samples.count * 2);
  placeSamples(samples, points, middle);
  for (let line = 0; line + 1 < samples.lines.length; line++) {
    const [first, end] = [samples.lines[line], samples.lines[line + 1]];
    for (let k = first; k < end; k++) {
      const before = k > first ? k - 1 : closed[line] ? end - 1 : k;
      const after = k + 1 < end ? k + 1 : closed[line] ? first : k;
      layBeside(middle, before, k, after, half, reach, out, (from + k * 2) * 2);
    }
  }
}

/** The two places beside one of a line; at its open ends it reaches on by `reach`. */
function layBeside(
  line: Float32Array,
  before: number,
  at: number,
  after: number,
  half: number,
  reach: number,
  out: Float32Array,
  to: number,
): void {
  const [x, y] = [line[at * 2], line[at * 2 + 1]];
  const [ux, uy] = unit(x - line[before * 2], y - line[before * 2 + 1]);
  const [vx, vy] = unit(line[after * 2] - x, line[after * 2 + 1] - y);
  const [dx, dy] = unit(ux + vx, uy + vy);
  // Toward the corner's tip the strip is as much wider as keeps its sides parallel.
  const straight = Math.max(
    1 / MITER,
    Math.hypot(ux + vx, uy + vy) / (before === at || after === at ? 1 : 2),
  );
  const wide = half / straight;
  const on = before === at ? -reach : after === at ? reach : 0;
  out[to] = x - dy * wide + dx * on;
  out[to + 1] = y + dx * wide + dy * on;
  out[to + 2] = x + dy * wide + dx * on;
  out[to + 3] = y - dx * wide + dy * on;
}

function unit(x: number, y: number): [number, number] {
  const length = Math.hypot(x, y);
  return length > 0 ? [x / length, y / length] : [0, 0];
}
