import { mat4, quat } from 'gl-matrix';

/** How a cloud of places is brought onto another: turned, scaled evenly, moved. */
export interface Alignment {
  /** Float32Array, 16, column-major: source bound space → target bound space. */
  readonly matrix: Float32Array;
  readonly scale: number;
  /** The root of the mean squared distance that is left, in target units. */
  readonly residual: number;
  /** The same if one of them were mirrored first. */
  readonly mirroredResidual: number;
}

export const IDENTITY_ALIGNMENT: Alignment = {
  matrix: Float32Array.from(mat4.create()),
  scale: 1,
  residual: 0,
  mirroredResidual: Infinity,
};

/** So much farther than the middle one, a pair is left out. */
const OUTLIER = 4;
/** Places are known to this share of their spread. */
const ROUNDING = 1e-5;
const MIN_PAIRS = 3;

/**
 * The similarity that brings pairs of places together best (Horn 1987, "Closed-form solution of absolute orientation using
 * unit quaternions"; the scale is the ratio of spreads). Pairs that lie far off are left out and it is found again.
 *
 * @param pairs source and target places, both Float32Array, 3 a pair
 * @returns undefined for fewer than three pairs, or all in one place or line
 */
export function alignPlaces(source: Float32Array, target: Float32Array): Alignment | undefined {
  const all = Array.from({ length: source.length / 3 }, (_, i) => i);
  const first = alignThose(source, target, all);
  if (!first) return undefined;
  const distances = all.map((i) => distanceOf(first.matrix, source, target, i));
  const middle = [...distances].sort((a, b) => a - b)[distances.length >> 1];
  // What is off by rounding alone is not far off.
  const noise = ROUNDING * spreadOf(target, all, centreOf(target, all));
  const near = all.filter((i) => distances[i] <= OUTLIER * middle + noise);
  return (
    (near.length >= MIN_PAIRS && near.length < all.length ? alignThose(source, target, near) : first) ?? first
  );
}

function alignThose(
  source: Float32Array,
  target: Float32Array,
  pairs: readonly number[],
): Alignment | undefined {
  if (pairs.length < MIN_PAIRS) return undefined;
  const [from, to] = [centreOf(source, pairs), centreOf(target, pairs)];
  const [own, theirs] = [spreadOf(source, pairs, from), spreadOf(target, pairs, to)];
  if (!(own > 0 && theirs > 0) || isLine(source, pairs, from, own)) return undefined;
  const scale = theirs / own;
  const build = (mirror: number): Float32Array => {
    const turn = bestTurn(source, target, pairs, from, to, mirror);
    const matrix = mat4.create();
    mat4.fromRotationTranslationScale(matrix, turn, to, [scale, scale, scale]);
    mat4.scale(matrix, matrix, [mirror, 1, 1]);
    mat4.translate(matrix, matrix, [-from[0], -from[1], -from[2]]);
    return Float32Array.from(matrix);
  };
  const residual = (matrix: Float32Array): number =>
    Math.sqrt(pairs.reduce((sum, i) => sum + distanceOf(matrix, source, target, i) ** 2, 0) / pairs.length);
  const matrix = build(1);
  return { matrix, scale, residual: residual(matrix), mirroredResidual: residual(build(-1)) };
}

type Triple = [number, number, number];

function centreOf(places: Float32Array, pairs: readonly number[]): Triple {
  const centre: Triple = [0, 0, 0];
  for (const i of pairs) for (let k = 0; k < 3; k++) centre[k] += places[i * 3 + k] / pairs.length;
  return centre;
}

function spreadOf(places: Float32Array, pairs: readonly number[], centre: Triple): number {
  let sum = 0;
  for (const i of pairs) for (let k = 0; k < 3; k++) sum += (places[i * 3 + k] - centre[k]) ** 2;
  return Math.sqrt(sum / pairs.length);
}

/** Whether all places lie along one line: a turn about it could not be told. */
function isLine(places: Float32Array, pairs: readonly number[], centre: Triple, spread: number): boolean {
  let along: number[] = [0, 0, 0];
  let most = 0;
  for (const i of pairs) {
    const off = [0, 1, 2].map((k) => places[i * 3 + k] - centre[k]);
    const length = Math.hypot(...off);
    if (length > most) [most, along] = [length, off.map((x) => x / length)];
  }
  return pairs.every((i) => {
    const off = [0, 1, 2].map((k) => places[i * 3 + k] - centre[k]);
    const dot = off.reduce((sum, x, k) => sum + x * along[k], 0);
    return Math.hypot(...off.map((x, k) => x - dot * along[k])) < 1e-3 * spread;
  });
}

/** The turn that brings the pairs together, both about their centres; `mirror` -1 turns the source over in x first. */
function bestTurn(
  source: Float32Array,
  target: Float32Array,
  pairs: readonly number[],
  from: Triple,
  to: Triple,
  mirror: number,
): quat {
  const s = Array<number>(9).fill(0);
  for (const i of pairs)
    for (let r = 0; r < 3; r++)
      for (let c = 0; c < 3; c++)
        s[r * 3 + c] += (source[i * 3 + r] - from[r]) * (r === 0 ? mirror : 1) * (target[i * 3 + c] - to[c]);
  const [xx, xy, xz, yx, yy, yz, zx, zy, zz] = s;
  const n = [
    [xx + yy + zz, yz - zy, zx - xz, xy - yx],
    [yz - zy, xx - yy - zz, xy + yx, zx + xz],
    [zx - xz, xy + yx, yy - xx - zz, yz + zy],
    [xy - yx, zx + xz, yz + zy, zz - xx - yy],
  ];
  const [w, x, y, z] = largestEigenvector(n);
  return quat.normalize(quat.create(), quat.fromValues(x, y, z, w));
}

/** Of a small symmetric matrix, by Jacobi's turns. */
function largestEigenvector(matrix: number[][]): number[] {
  const size = matrix.length;
  const a = matrix.map((row) => [...row]);
  const vectors = a.map((_, i) => a.map((__, k) => (i === k ? 1 : 0)));
  for (let sweep = 0; sweep < 60; sweep++) {
    let off = 0;
    for (let p = 0; p < size; p++) for (let q = p + 1; q < size; q++) off += a[p][q] ** 2;
    if (off < 1e-30 * (a[0][0] ** 2 + 1)) break;
    for (let p = 0; p < size; p++) for (let q = p + 1; q < size; q++) turn(a, vectors, p, q);
  }
  const best = a.map((row, i) => row[i]).reduce((most, value, i, all) => (value > all[most] ? i : most), 0);
  return vectors.map((row) => row[best]);
}

function turn(a: number[][], vectors: number[][], p: number, q: number): void {
  if (Math.abs(a[p][q]) < 1e-300) return;
  const theta = (a[q][q] - a[p][p]) / (2 * a[p][q]);
  const t = (theta >= 0 ? 1 : -1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1));
  const c = 1 / Math.sqrt(t * t + 1);
  const s = t * c;
  for (const row of a) [row[p], row[q]] = [c * row[p] - s * row[q], s * row[p] + c * row[q]];
  const [rp, rq] = [[...a[p]], [...a[q]]];
  for (let k = 0; k < a.length; k++) {
    a[p][k] = c * rp[k] - s * rq[k];
    a[q][k] = s * rp[k] + c * rq[k];
  }
  for (const row of vectors) [row[p], row[q]] = [c * row[p] - s * row[q], s * row[p] + c * row[q]];
}

function distanceOf(m: Float32Array, source: Float32Array, target: Float32Array, i: number): number {
  const [x, y, z] = [source[i * 3], source[i * 3 + 1], source[i * 3 + 2]];
  return Math.hypot(
    ...[0, 1, 2].map((k) => m[k] * x + m[4 + k] * y + m[8 + k] * z + m[12 + k] - target[i * 3 + k]),
  );
}

/** Places moved by a matrix: a new Float32Array. */
export function movedPlaces(places: Float32Array, m: Float32Array): Float32Array {
  const moved = new Float32Array(places.length);
  for (let i = 0; i < places.length; i += 3)
    for (let k = 0; k < 3; k++)
      moved[i + k] = m[k] * places[i] + m[4 + k] * places[i + 1] + m[8 + k] * places[i + 2] + m[12 + k];
  return moved;
}

/** How a person moves a surface: about a centre, which then moves. */
export interface HandMove {
  readonly centre: readonly [number, number, number];
  readonly way: readonly [number, number, number];
  readonly axis: readonly [number, number, number];
  readonly degrees: number;
  readonly scale: number;
}

/** Float32Array, 16, column-major. */
export function handMatrix({ centre, way, axis, degrees, scale }: HandMove): Float32Array {
  const m = mat4.create();
  mat4.translate(m, m, [centre[0] + way[0], centre[1] + way[1], centre[2] + way[2]]);
  mat4.rotate(m, m, (degrees * Math.PI) / 180, [axis[0], axis[1], axis[2]]);
  mat4.scale(m, m, [scale, scale, scale]);
  mat4.translate(m, m, [-centre[0], -centre[1], -centre[2]]);
  return Float32Array.from(m);
}
