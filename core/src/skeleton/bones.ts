/**
 * The segments that points are measured against, in bind space.
 *
 * - `joints`   Uint16Array, boneCount: the joint that a bone gives weight to.
 * - `ends`     Float32Array, 6·boneCount: where the bone begins (at its joint) and ends.
 * - `factors`  Float32Array, FACTOR_STEPS·boneCount: what a length counts for, measured from evenly spaced places along
 *              the bone. A bone in a thick limb counts less a length than one in a thin limb: the border between an arm
 *              and the trunk then lies at the crease, not half way between their bones.
 */
export interface Bones {
  readonly count: number;
  readonly joints: Uint16Array;
  readonly ends: Float32Array;
  readonly factors: Float32Array;
}

export const FACTOR_STEPS = 9;
/** Toward both ends a bone's factor is level, over this share of its length. */
export const LEVEL_SHARE = 0.15;

/** What a measurement says: filled by {@link measureBone}. */
export interface BoneMeasure {
  /** Plain distance to the nearest place on the bone. */
  length: number;
  /** What a length counts for there. */
  factor: number;
  x: number;
  y: number;
  z: number;
}

export const createMeasure = (): BoneMeasure => ({ length: 0, factor: 1, x: 0, y: 0, z: 0 });

/** Where along the segment whose ends stand at `o` a place is nearest, from 0 to 1. */
export function alongSegment(ends: ArrayLike<number>, o: number, x: number, y: number, z: number): number {
  const ax = ends[o];
  const ay = ends[o + 1];
  const az = ends[o + 2];
  const dx = ends[o + 3] - ax;
  const dy = ends[o + 4] - ay;
  const dz = ends[o + 5] - az;
  const squared = dx * dx + dy * dy + dz * dz;
  const t = squared > 0 ? ((x - ax) * dx + (y - ay) * dy + (z - az) * dz) / squared : 0;
  return t < 0 ? 0 : t > 1 ? 1 : t;
}

/** Measures a place against bone `b`, into `out`. */
export function measureBone(
  { ends, factors }: Bones,
  b: number,
  x: number,
  y: number,
  z: number,
  out: BoneMeasure,
): void {
  const o = b * 6;
  const t = alongSegment(ends, o, x, y, z);
  out.x = ends[o] + (ends[o + 3] - ends[o]) * t;
  out.y = ends[o + 1] + (ends[o + 4] - ends[o + 1]) * t;
  out.z = ends[o + 2] + (ends[o + 5] - ends[o + 2]) * t;
  const ox = x - out.x;
  const oy = y - out.y;
  const oz = z - out.z;
  out.length = Math.sqrt(ox * ox + oy * oy + oz * oz);
  // Level toward both ends: where two bones meet, neither has the better of it.
  const level = (t - LEVEL_SHARE) / (1 - 2 * LEVEL_SHARE);
  const step = (level < 0 ? 0 : level > 1 ? 1 : level) * (FACTOR_STEPS - 1);
  const k = step >= FACTOR_STEPS - 1 ? FACTOR_STEPS - 2 : step | 0;
  const f = b * FACTOR_STEPS + k;
  out.factor = factors[f] + (factors[f + 1] - factors[f]) * (step - k);
}

/** Distance from a place to a segment. */
export function distanceToSegment(
  place: readonly number[],
  from: readonly number[],
  to: readonly number[],
): number {
  const direction = to.map((x, k) => x - from[k]);
  const lengthSquared =
    direction[0] * direction[0] + direction[1] * direction[1] + direction[2] * direction[2];
  const along = direction.reduce((sum, x, k) => sum + x * (place[k] - from[k]), 0);
  const t = lengthSquared > 0 ? Math.max(0, Math.min(1, along / lengthSquared)) : 0;
  return Math.hypot(...place.map((x, k) => x - from[k] - direction[k] * t));
}
