/** A place or a direction: x, y, z. */
export type Vec3 = readonly [number, number, number];
type Numbers = ArrayLike<number>;
type Result = [number, number, number];

export const add = (a: Numbers, b: Numbers): Result => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
export const subtract = (a: Numbers, b: Numbers): Result => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const scale = (a: Numbers, s: number): Result => [a[0] * s, a[1] * s, a[2] * s];
export const dot = (a: Numbers, b: Numbers): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const cross = (a: Numbers, b: Numbers): Result => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
export const length = (a: Numbers): number => Math.hypot(a[0], a[1], a[2]);
export const distance = (a: Numbers, b: Numbers): number => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
/** Of length one; nothing stays nothing. */
export const normalize = (a: Numbers): Result => {
  const by = length(a) || 1;
  return [a[0] / by, a[1] / by, a[2] / by];
};
/** The place at `t` between two: 0 is the first, 1 the second. */
export const lerp = (a: Numbers, b: Numbers, t: number): Result => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
];
/** To the other side of the body's middle, x = 0. */
export const mirrored = (a: Numbers): Result => [-a[0], a[1], a[2]];
/** The place of one point in a flat array of three numbers each. */
export const placeAt = (places: Numbers, index: number): Result => [
  places[index * 3],
  places[index * 3 + 1],
  places[index * 3 + 2],
];
