import { createMeasure, FACTOR_STEPS, LEVEL_SHARE, measureBone, type Bones } from '../../skeleton/bones.ts';
import { putJoint, type NearestJoints } from './nearestJoints.ts';

/** Points that are measured together. */
export const CHUNK = 64;

/** What points are measured against: everything flat, in the kernels' memory. */
export interface NearestWork {
  /** Uint32Array: points, those to be looked at together side by side. */
  readonly members: Uint32Array;
  readonly positions: Float32Array;
  /** Int32Array, boneCount: the bones that matter to the points at hand. */
  readonly kept: Int32Array;
  readonly bones: Bones;
  /** Float64Array, boneCount: how many times the nearest joint's distance a bone may be away and still have a say. */
  readonly far: Float64Array;
  /** Uint8Array, jointCount²: 1 where two joints are near each other in the skeleton. */
  readonly near: Uint8Array;
  readonly jointCount: number;
  readonly nearest: NearestJoints;
  /** Float64Array, 2·boneCount: the least and the most factor of each bone. */
  readonly ranges: Float64Array;
  /** Float64Array, boneCount: room for the least distances of bones from a box. */
  readonly lower: Float64Array;
  /** Float32Array, CHUNK·boneCount each: room for measurements. */
  readonly lengths: Float32Array;
  readonly distances: Float32Array;
}

/**
 * Measures the members from `from` to `to` against the first `keptCount` kept bones, and puts those that have a say into
 * their rows of the nearest joints. Twin of nearestBones in core/kernels/nearest.ts.
 */
export function nearestBones(work: NearestWork, from: number, to: number, keptCount: number): void {
  const { members, kept, bones, far, near, jointCount, nearest: found, lengths, distances } = work;
  const { joints } = bones;
  for (let m = from; m < to; m++) {
    const point = members[m];
    let nearest = 0;
    for (let k = 0; k < keptCount; k++) {
      measureSingle(work, point, k);
      if (distances[k] > distances[nearest]) continue;
      if (distances[k] < distances[nearest] || joints[kept[k]] < joints[kept[nearest]]) nearest = k;
    }
    const row = joints[kept[nearest]] * jointCount;
    for (let k = 0; k < keptCount; k++) {
      if (distances[k] > far[kept[k]] * distances[nearest]) continue;
      const joint = joints[kept[k]];
      if (near[row + joint] !== 0) putJoint(found, point, joint, distances[k]);
    }
    found.radii[point] = lengths[nearest];
  }
}

/**
 * Bones that can be nearest somewhere in a ball, and those near one of them in the skeleton that are not too far, into
 * `kept`. Twin of keepBones in core/kernels/nearest.ts. Returns how many are kept.
 */
export function keepBones(work: NearestWork, x: number, y: number, z: number, radius: number): number {
  const { bones, kept, far, near, jointCount, ranges, lower } = work;
  const { count, joints } = bones;
  const measure = createMeasure();
  let upper = Infinity;
  for (let b = 0; b < count; b++) {
    measureBone(bones, b, x, y, z, measure);
    lower[b] = Math.max(0, measure.length - radius) * ranges[b * 2];
    upper = Math.min(upper, (measure.length + radius) * ranges[b * 2 + 1]);
  }
  const first = Array.from(joints).filter((_, b) => !(lower[b] > upper));
  let found = 0;
  for (let b = 0; b < count; b++) {
    if (lower[b] > far[b] * upper) continue;
    if (first.some((joint) => near[joint * jointCount + joints[b]])) kept[found++] = b;
  }
  return found;
}

const LEVEL_SCALE = Math.fround((FACTOR_STEPS - 1) / (1 - 2 * LEVEL_SHARE));
const SHARE = Math.fround(LEVEL_SHARE);

/** As measureBone does, in single precision, into the k-th places of lengths and distances. */
function measureSingle(
  { positions, kept, bones: { ends, factors }, lengths, distances }: NearestWork,
  point: number,
  k: number,
): void {
  const f = Math.fround;
  const dot = (a: readonly number[], b: readonly number[]): number =>
    f(f(f(a[0] * b[0]) + f(a[1] * b[1])) + f(a[2] * b[2]));
  const place = [...positions.subarray(point * 3, point * 3 + 3)];
  const from = [...ends.subarray(kept[k] * 6, kept[k] * 6 + 3)];
  const direction = from.map((x, c) => f(ends[kept[k] * 6 + 3 + c] - x));
  const square = dot(direction, direction);
  const inverse = square > 0 ? f(1 / square) : 0;
  const along = f(
    dot(
      place.map((x, c) => f(x - from[c])),
      direction,
    ) * inverse,
  );
  const t = along < 0 ? 0 : along > 1 ? 1 : along;
  const off = place.map((x, c) => f(x - f(from[c] + f(direction[c] * t))));
  lengths[k] = f(Math.sqrt(dot(off, off)));
  const level = f(f(t - SHARE) * LEVEL_SCALE);
  const step = level < 0 ? 0 : level > FACTOR_STEPS - 1 ? FACTOR_STEPS - 1 : level;
  const whole = Math.min(FACTOR_STEPS - 2, Math.trunc(step));
  const at = kept[k] * FACTOR_STEPS + whole;
  distances[k] = f(lengths[k] * f(factors[at] + f(f(factors[at + 1] - factors[at]) * f(step - whole))));
}

/** Boxes that points are looked at in: `counts` along each axis, all of one size, from `least` on. */
export interface BoxGrid {
  readonly least: readonly number[];
  readonly size: number;
  readonly counts: readonly number[];
}

/**
 * Which box each point lies in: (z·ny + y)·nx + x; what lies outside in the box next to it. Twin of boxPoints in
 * core/kernels/nearest.ts.
 */
export function boxPoints(positions: Float32Array, { least, size, counts }: BoxGrid, keys: Int32Array): void {
  for (let i = 0; i < keys.length; i++) {
    const [x, y, z] = counts.map((count, k) =>
      Math.max(0, Math.min(count - 1, Math.floor((positions[i * 3 + k] - least[k]) / size) | 0)),
    );
    keys[i] = (z * counts[1] + y) * counts[0] + x;
  }
}

/**
 * Slots whose joint has a factor other than one count for so many times their distance, and are sorted anew. A row keeps
 * its order where every joint's factor is infinite. Twin of weighSlots in core/kernels/nearest.ts.
 *
 * @param factors Float64Array, by joint; above zero
 */
export function weighSlots(
  { width, joints, distances }: NearestJoints,
  from: number,
  to: number,
  factors: Float64Array,
): void {
  for (let p = from; p < to; p++) {
    const slots: [number, number][] = [];
    for (let k = p * width; k < (p + 1) * width && distances[k] !== Infinity; k++) {
      const factor = factors[joints[k]];
      slots.push([joints[k], factor === Infinity ? Infinity : Math.fround(distances[k] * factor)]);
    }
    if (slots.every(([, distance]) => distance === Infinity)) continue;
    slots.sort((a, b) => (a[1] === b[1] ? a[0] - b[0] : a[1] - b[1]));
    slots.forEach(([joint, distance], i) => {
      joints[p * width + i] = joint;
      distances[p * width + i] = distance;
    });
  }
}
