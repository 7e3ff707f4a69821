import { mat4 } from 'gl-matrix';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { multiplyAt } from '../../math/matrix.ts';
import type { PointList } from '../../weights/pointList.ts';
import type { WeightRows } from '../../weights/rows.ts';
import type { Deformer } from '../deformer.ts';
import type { SkinArrays } from '../skin.ts';
import { createDualPalette } from '../skinDual.ts';
import type { Follower, Needed } from './Follower.ts';

/** A part that follows another one. */
export interface FollowingPart {
  readonly follower: Follower;
  /** The driver's arrays, in the deformer's memory; its palette is not looked at. */
  readonly driver: SkinArrays;
  /** What binds the part and its driver: Float32Array, 16·(jointCount + 1), the part's own place last. */
  readonly binds: () => { readonly own: Float32Array; readonly driver: Float32Array };
  /** How much of following each point takes, 0..1; all of it where it is missing. */
  readonly amounts: Float32Array | undefined;
}

/** So many of the driver's points are skinned at a time. */
const BATCH = 8192;

/** Room for drivers while they are posed, in the memory of the deformer. */
export type FollowScratch = ReturnType<typeof layFollowScratch>;

export const layFollowScratch = (memory: KernelMemory, jointCapacity: number) => ({
  list: memory.u32(BATCH),
  slots: memory.u32(BATCH),
  positions: memory.f32(BATCH * 3),
  normals: memory.f32(BATCH * 3),
  palette: memory.f32(16 * (jointCapacity + 1)),
  dual: createDualPalette(jointCapacity, memory),
});

/**
 * A deformer whose parts may follow others, in a chain too: they are put where the driver's surface takes them, in the very
 * pose that they are asked for in.
 * @param skinned what deforms all parts as they are by themselves
 * @param following the parts that follow, by their rest positions (the same array); no part follows itself by any way
 */
export function drivenDeformer(
  skinned: Deformer,
  following: ReadonlyMap<Float32Array, FollowingPart>,
  scratch: FollowScratch,
): Deformer {
  const driven = new DriverPoses(skinned, following, scratch);
  return {
    skinning: skinned.skinning,
    prepare: (palette, dual) => skinned.prepare(palette, dual),
    affectedBy: (arrays, list) => skinned.affectedBy(arrays, list),
    skinRange(arrays, dual, from, to) {
      const part = following.get(arrays.rest);
      if (!part || part.amounts) skinned.skinRange(arrays, dual, from, to);
      if (!part) return;
      driven.follow(part, arrays.palette);
      if (part.amounts) for (let p = from; p < to; p++) blend(part, p, arrays, p);
      else copyRange(part.follower.followed, arrays, from, to);
    },
    skinList(arrays, dual, list) {
      const part = following.get(arrays.rest);
      if (!part || part.amounts) skinned.skinList(arrays, dual, list);
      if (!part) return;
      driven.follow(part, arrays.palette, list);
      for (let i = 0; i < list.count; i++) blend(part, list.points[i], arrays, list.points[i]);
    },
    skinSlots(arrays, dual, list, slots) {
      const part = following.get(arrays.rest);
      if (!part || part.amounts) skinned.skinSlots(arrays, dual, list, slots);
      if (!part) return;
      driven.follow(part, arrays.palette, list);
      for (let i = 0; i < list.count; i++) blend(part, list.points[i], arrays, slots[i]);
    },
  };
}

/** Poses drivers for those that follow them. */
class DriverPoses {
  readonly #skinned: Deformer;
  readonly #following: ReadonlyMap<Float32Array, FollowingPart>;
  readonly #scratch: FollowScratch;
  readonly #needs = new WeakMap<Follower, { readonly about: Uint32Array; readonly needed: Needed }>();

  constructor(
    skinned: Deformer,
    following: ReadonlyMap<Float32Array, FollowingPart>,
    scratch: FollowScratch,
  ) {
    this.#skinned = skinned;
    this.#following = following;
    this.#scratch = scratch;
  }

  /** Puts all points, or those listed, where the driver takes them: into the follower's results. */
  follow(part: FollowingPart, palette: Float32Array, list?: PointList): void {
    const { follower, driver } = part;
    const needed = list ? this.#needOf(follower, list) : follower.all;
    const own = driverPalette(part, palette);
    const above = this.#following.get(driver.rest);
    if (above) this.follow(above, own, { points: needed.points, count: needed.points.length });
    this.#pose(part, above, own, needed);
    follower.follow(needed, list?.points, list?.count);
  }

  /** The driver's needed points in the pose, as they are by themselves and as they follow. */
  #pose(
    { follower, driver }: FollowingPart,
    above: FollowingPart | undefined,
    palette: Float32Array,
    { points, numbers }: Needed,
  ): void {
    const { list, slots, positions, normals, dual } = this.#scratch;
    this.#scratch.palette.set(palette);
    const arrays = { ...driver, palette: this.#scratch.palette, positions, normals };
    if (!above || above.amounts) this.#skinned.prepare(arrays.palette, dual);
    const sizes = sizesOf(palette);
    for (let from = 0; from < points.length; from += BATCH) {
      const batch = points.subarray(from, from + BATCH);
      const count = batch.length;
      for (let i = 0; i < count; i++) {
        list[i] = batch[i];
        slots[i] = i;
      }
      if (!above || above.amounts) this.#skinned.skinSlots(arrays, dual, { points: list, count }, slots);
      if (above) for (let i = 0; i < count; i++) blend(above, batch[i], arrays, i);
      const scales = sizes && batchScales(driver.rows, batch, sizes);
      follower.take(numbers.subarray(from, from + count), positions, normals, scales);
    }
  }

  /** The points of a strip are asked for picture by picture: what they need is looked for once. */
  #needOf(follower: Follower, { points, count }: PointList): Needed {
    const known = this.#needs.get(follower);
    if (known?.about.length === count && known.about.every((p, i) => p === points[i])) return known.needed;
    const needed = follower.needOf(points, count);
    this.#needs.set(follower, { about: Uint32Array.from({ length: count }, (_, i) => points[i]), needed });
    return needed;
  }
}

/** Points that are where they follow to. */
function copyRange(
  followed: Follower['followed'],
  arrays: Pick<SkinArrays, 'positions' | 'normals'>,
  from: number,
  to: number,
): void {
  for (const own of ['positions', 'normals'] as const)
    arrays[own].set(followed[own].subarray(from * 3, to * 3), from * 3);
}

/** A point between where it is by itself and where it follows to. */
function blend(
  { follower: { followed }, amounts }: FollowingPart,
  point: number,
  { positions, normals }: Pick<SkinArrays, 'positions' | 'normals'>,
  slot: number,
): void {
  const share = amounts ? amounts[point] : 1;
  const [to, from] = [slot * 3, point * 3];
  if (share >= 1) {
    const { positions: places, normals: ways } = followed;
    positions[to] = places[from];
    positions[to + 1] = places[from + 1];
    positions[to + 2] = places[from + 2];
    normals[to] = ways[from];
    normals[to + 1] = ways[from + 1];
    normals[to + 2] = ways[from + 2];
    return;
  }
  let squares = 0;
  for (let k = 0; k < 3; k++) {
    positions[to + k] += share * (followed.positions[from + k] - positions[to + k]);
    normals[to + k] += share * (followed.normals[from + k] - normals[to + k]);
    squares += normals[to + k] ** 2;
  }
  const length = Math.sqrt(squares) || 1;
  for (let k = 0; k < 3; k++) normals[to + k] /= length;
}

/** What the joints do to the driver, of what they do to a part: the two may be bound unlike. */
function driverPalette({ binds }: FollowingPart, palette: Float32Array): Float32Array {
  const { own, driver } = binds();
  const out = palette.slice();
  const joints = own.length - 16;
  const [inverse, across] = [new Float32Array(16), new Float32Array(16)];
  for (let at = 0; at < joints; at += 16) {
    if (isSame(own, driver, at) || !mat4.invert(inverse, own.subarray(at, at + 16))) continue;
    multiplyAt(across, 0, inverse, 0, driver, at);
    multiplyAt(out, at, palette, at, across, 0);
  }
  out.set(driver.subarray(joints), palette.length - 16);
  return out;
}

function isSame(a: Float32Array, b: Float32Array, at: number): boolean {
  for (let i = at; i < at + 16; i++) if (a[i] !== b[i]) return false;
  return true;
}

/** What is larger by less than this is as large as at rest. */
const SAME_SIZE = 1e-3;

/** By joint, how much larger it makes things; undefined where none does. */
function sizesOf(palette: Float32Array): Float32Array | undefined {
  const sizes = new Float32Array(palette.length / 16);
  let isOther = false;
  // As it stands at rest a part may have another size than its file's.
  const place = sizeAt(palette, palette.length - 16) || 1;
  for (let j = 0; j < sizes.length; j++) {
    sizes[j] = sizeAt(palette, j * 16) / place;
    if (sizes[j] !== 0 && Math.abs(sizes[j] - 1) > SAME_SIZE) isOther = true;
  }
  return isOther ? sizes : undefined;
}

function sizeAt(m: Float32Array, at: number): number {
  const volume =
    m[at] * (m[at + 5] * m[at + 10] - m[at + 6] * m[at + 9]) -
    m[at + 4] * (m[at + 1] * m[at + 10] - m[at + 2] * m[at + 9]) +
    m[at + 8] * (m[at + 1] * m[at + 6] - m[at + 2] * m[at + 5]);
  return Math.cbrt(Math.abs(volume));
}

function batchScales(
  { joints, values, stride }: WeightRows,
  points: Uint32Array,
  sizes: Float32Array,
): Float32Array {
  return Float32Array.from(points, (p) => {
    let scale = 0;
    for (let k = p * stride; k < (p + 1) * stride && values[k] > 0; k++)
      scale += values[k] * sizes[joints[k]];
    return scale || 1;
  });
}
