// Quaternions (x, y, z, w) and places in flat arrays, for loops over many frames.

import { dot, normalize } from './vector.ts';

export type Quat = [number, number, number, number];
export type Vec = [number, number, number];

export function multiplied(a: readonly number[], b: readonly number[]): Quat {
  return [
    a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1],
    a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0],
    a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3],
    a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2],
  ];
}

export const conjugated = (q: readonly number[]): Quat => [-q[0], -q[1], -q[2], q[3]];

/** A place turned. */
export function rotated(q: readonly number[], v: readonly number[]): Vec {
  const [x, y, z, w] = q;
  const ux = y * v[2] - z * v[1] + w * v[0];
  const uy = z * v[0] - x * v[2] + w * v[1];
  const uz = x * v[1] - y * v[0] + w * v[2];
  return [v[0] + 2 * (y * uz - z * uy), v[1] + 2 * (z * ux - x * uz), v[2] + 2 * (x * uy - y * ux)];
}

/** The least turn that takes one direction to another. */
export function turnBetween(from: readonly number[], to: readonly number[]): Quat {
  const [a, b] = [normalize(from), normalize(to)];
  const w = 1 + a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  if (w < 1e-7) {
    // Half a turn, about anything across.
    const axis = Math.abs(a[0]) < 0.7 ? normalize([0, -a[2], a[1]]) : normalize([-a[1], a[0], 0]);
    return [axis[0], axis[1], axis[2], 0];
  }
  const q: Quat = [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0], w];
  const length = Math.hypot(...q);
  return [q[0] / length, q[1] / length, q[2] / length, q[3] / length];
}

export function aboutAxis(axis: readonly number[], radians: number): Quat {
  const s = Math.sin(radians / 2);
  return [axis[0] * s, axis[1] * s, axis[2] * s, Math.cos(radians / 2)];
}

/** The turn whose three axes (unit, square, right-handed) are given, as columns. */
export function turnOfAxes(x: readonly number[], y: readonly number[], z: readonly number[]): Quat {
  const trace = x[0] + y[1] + z[2];
  if (trace > 0) {
    const s = Math.sqrt(trace + 1) * 2;
    return [(y[2] - z[1]) / s, (z[0] - x[2]) / s, (x[1] - y[0]) / s, s / 4];
  }
  if (x[0] > y[1] && x[0] > z[2]) {
    const s = Math.sqrt(1 + x[0] - y[1] - z[2]) * 2;
    return [s / 4, (y[0] + x[1]) / s, (z[0] + x[2]) / s, (y[2] - z[1]) / s];
  }
  if (y[1] > z[2]) {
    const s = Math.sqrt(1 + y[1] - x[0] - z[2]) * 2;
    return [(y[0] + x[1]) / s, s / 4, (z[1] + y[2]) / s, (z[0] - x[2]) / s];
  }
  const s = Math.sqrt(1 + z[2] - x[0] - y[1]) * 2;
  return [(z[0] + x[2]) / s, (z[1] + y[2]) / s, s / 4, (x[1] - y[0]) / s];
}

/** A direction without its height. */
export const level = (a: readonly number[], up: Vec): Vec => a.map((x, k) => x - up[k] * dot(a, up)) as Vec;
export const clamp = (x: number): number => Math.max(-1, Math.min(1, x));
