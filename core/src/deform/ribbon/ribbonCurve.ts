/** Frames along a curve, at even shares of its length. */
export interface RibbonCurve {
  /** Float64Array, 3 a frame: where it is, which way the curve goes there, and a normal that turns no more than the curve makes it. */
  readonly places: Float64Array;
  readonly tangents: Float64Array;
  readonly normals: Float64Array;
  readonly length: number;
  /** Float64Array, 3 a frame: toward the middle of the bend that the curve makes there, one over its radius long. */
  readonly bends: Float64Array;
}

/** A curve by what it runs through, 3 a control; and, where an end is held, the way that it goes there. */
export interface CurveControls {
  readonly controls: Float64Array;
  readonly start?: ArrayLike<number>;
  readonly end?: ArrayLike<number>;
}

/** Frames of a ribbon. */
export const FRAMES = 49;
/** Straight pieces a span that a curve's length is measured by. */
const PIECES = 16;

export function createCurve(): RibbonCurve {
  const [places, tangents, normals] = [0, 1, 2].map(() => new Float64Array(FRAMES * 3));
  return { places, tangents, normals, length: 0, bends: new Float64Array(FRAMES * 3) };
}

/**
 * The smoothest curve through controls (a cubic spline: de Boor 1978, chapter 4), with frames at even shares of its length that turn as little as they can (double
 * reflection: Wang, Jüttler, Zheng, Liu 2008).
 * @param normal of the first frame, about; it is made to stand across the curve
 */
export function layCurve(held: CurveControls, normal: ArrayLike<number>): RibbonCurve {
  const fine = fineLine(held);
  const { places, tangents, normals, bends } = createCurve();
  const length = evenPlaces(fine, places);
  for (let i = 0; i < FRAMES; i++) {
    const [a, b] = [Math.max(0, i - 1) * 3, Math.min(FRAMES - 1, i + 1) * 3];
    direction(places, a, b, tangents, i * 3);
  }
  if (held.start) setUnit(tangents, 0, held.start);
  if (held.end) setUnit(tangents, (FRAMES - 1) * 3, held.end);
  across(normal, tangents, 0, normals, 0);
  for (let i = 0; i + 1 < FRAMES; i++) reflectTwice(places, tangents, normals, i * 3);
  const step = length / (FRAMES - 1) || 1;
  for (let i = 0; i < FRAMES; i++) {
    const [a, b] = [Math.max(0, i - 1), Math.min(FRAMES - 1, i + 1)];
    for (let k = 0; k < 3; k++)
      bends[i * 3 + k] = (tangents[b * 3 + k] - tangents[a * 3 + k]) / ((b - a) * step);
  }
  return { places, tangents, normals, length, bends };
}

/** Points along the curve, close together. */
function fineLine(held: CurveControls): Float64Array {
  const { controls } = held;
  const count = controls.length / 3;
  const spans = Float64Array.from({ length: count - 1 }, (_, i) => spanOf(controls, i));
  const slopes = slopesOf(held, spans);
  const out = new Float64Array(((count - 1) * PIECES + 1) * 3);
  for (let span = 0; span + 1 < count; span++)
    for (let piece = 0; piece <= PIECES; piece++) {
      const t = piece / PIECES;
      const [t2, t3] = [t * t, t * t * t];
      for (let k = 0; k < 3; k++) {
        const [from, to] = [span * 3 + k, span * 3 + 3 + k];
        out[(span * PIECES + piece) * 3 + k] =
          (2 * t3 - 3 * t2 + 1) * controls[from] +
          (3 * t2 - 2 * t3) * controls[to] +
          spans[span] * ((t3 - 2 * t2 + t) * slopes[from] + (t3 - t2) * slopes[to]);
      }
    }
  return out;
}

/** How long a span is; never nothing, so that controls may fall together. */
const spanOf = (controls: Float64Array, i: number): number =>
  Math.max(1e-9, Math.hypot(...[0, 1, 2].map((k) => controls[i * 3 + 3 + k] - controls[i * 3 + k])));

/**
 * Slopes at the controls of the spline that bends evenly across them: its second derivative goes on there, is nothing at a free end, and
 * a held end goes its way. One system with three diagonals.
 * @returns Float64Array, 3 a control
 */
function slopesOf({ controls, start, end }: CurveControls, spans: Float64Array): Float64Array {
  const count = controls.length / 3;
  const last = count - 1;
  const [low, middle, high] = [0, 1, 2].map(() => new Float64Array(count));
  const wanted = new Float64Array(count * 3);
  const rise = (i: number, k: number): number => (controls[i * 3 + 3 + k] - controls[i * 3 + k]) / spans[i];
  const hold = (i: number, way: ArrayLike<number> | undefined, span: number): void => {
    const size = way ? Math.hypot(way[0], way[1], way[2]) || 1 : 1;
    middle[i] = way ? 1 : 2;
    (i === 0 ? high : low)[i] = way ? 0 : 1;
    for (let k = 0; k < 3; k++) wanted[i * 3 + k] = way ? way[k] / size : 3 * rise(span, k);
  };
  hold(0, start, 0);
  hold(last, end, last - 1);
  for (let i = 1; i < last; i++) {
    [low[i], middle[i], high[i]] = [spans[i], 2 * (spans[i - 1] + spans[i]), spans[i - 1]];
    for (let k = 0; k < 3; k++)
      wanted[i * 3 + k] = 3 * (spans[i] * rise(i - 1, k) + spans[i - 1] * rise(i, k));
  }
  for (let i = 1; i < count; i++) {
    const by = low[i] / middle[i - 1];
    middle[i] -= by * high[i - 1];
    for (let k = 0; k < 3; k++) wanted[i * 3 + k] -= by * wanted[i * 3 - 3 + k];
  }
  for (let i = last; i >= 0; i--)
    for (let k = 0; k < 3; k++) {
      const beyond = i < last ? high[i] * wanted[i * 3 + 3 + k] : 0;
      wanted[i * 3 + k] = (wanted[i * 3 + k] - beyond) / middle[i];
    }
  return wanted;
}

/** Writes places at even shares of a line's length. @returns how long it is */
function evenPlaces(line: Float64Array, places: Float64Array): number {
  const count = line.length / 3;
  const lengths = new Float64Array(count);
  for (let i = 1; i < count; i++)
    lengths[i] =
      lengths[i - 1] +
      Math.hypot(
        line[i * 3] - line[i * 3 - 3],
        line[i * 3 + 1] - line[i * 3 - 2],
        line[i * 3 + 2] - line[i * 3 - 1],
      );
  const all = lengths[count - 1];
  for (let f = 0, i = 0; f < FRAMES; f++) {
    const wanted = (all * f) / (FRAMES - 1);
    while (i + 2 < count && lengths[i + 1] < wanted) i++;
    const span = lengths[i + 1] - lengths[i];
    const t = span > 0 ? Math.min(1, (wanted - lengths[i]) / span) : 0;
    for (let k = 0; k < 3; k++) places[f * 3 + k] = (1 - t) * line[i * 3 + k] + t * line[i * 3 + 3 + k];
  }
  return all;
}

function reflectTwice(places: Float64Array, tangents: Float64Array, normals: Float64Array, at: number): void {
  const v = [0, 1, 2].map((k) => places[at + 3 + k] - places[at + k]);
  const c = v[0] * v[0] + v[1] * v[1] + v[2] * v[2];
  if (c === 0) {
    across(normals.subarray(at, at + 3), tangents, at + 3, normals, at + 3);
    return;
  }
  const mirrored = (of: Float64Array): number[] => {
    const by = (2 / c) * (v[0] * of[at] + v[1] * of[at + 1] + v[2] * of[at + 2]);
    return [0, 1, 2].map((k) => of[at + k] - by * v[k]);
  };
  const [n, t] = [mirrored(normals), mirrored(tangents)];
  const w = [0, 1, 2].map((k) => tangents[at + 3 + k] - t[k]);
  const d = w[0] * w[0] + w[1] * w[1] + w[2] * w[2];
  const by = d > 0 ? (2 / d) * (w[0] * n[0] + w[1] * n[1] + w[2] * n[2]) : 0;
  across(
    n.map((x, k) => x - by * w[k]),
    tangents,
    at + 3,
    normals,
    at + 3,
  );
}

/** Writes what of a vector stands across a tangent, with length one. */
export function across(
  vector: ArrayLike<number>,
  tangents: Float64Array,
  at: number,
  out: Float64Array,
  to: number,
): void {
  const along = vector[0] * tangents[at] + vector[1] * tangents[at + 1] + vector[2] * tangents[at + 2];
  const left = [0, 1, 2].map((k) => vector[k] - along * tangents[at + k]);
  if (Math.hypot(...left) < 1e-9) {
    const least = [0, 1, 2].reduce((a, b) =>
      Math.abs(tangents[at + b]) < Math.abs(tangents[at + a]) ? b : a,
    );
    for (let k = 0; k < 3; k++) left[k] = (k === least ? 1 : 0) - tangents[at + least] * tangents[at + k];
  }
  setUnit(out, to, left);
}

function setUnit(out: Float64Array, at: number, vector: ArrayLike<number>): void {
  const length = Math.hypot(vector[0], vector[1], vector[2]) || 1;
  for (let k = 0; k < 3; k++) out[at + k] = vector[k] / length;
}

function direction(places: Float64Array, a: number, b: number, out: Float64Array, at: number): void {
  setUnit(
    out,
    at,
    [0, 1, 2].map((k) => places[b + k] - places[a + k]),
  );
}
