import type { Kernels } from '../kernels/kernels.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';
import { groupMembers } from '../topology/groups.ts';
import { FACTOR_STEPS, type Bones } from './bones.ts';
import { createReach, type Reach, type Watch } from './insideDistance.ts';
import { CHUNK, type BoxGrid, type NearestWork } from './nearestBones.ts';
import type { Soup } from './soup.ts';

/** Joints that are at most this many steps along the skeleton apart may share a point. */
const NEAR_STEPS = 2;
/** Slots of a point's row. */
export const REACH_WIDTH = 6;
/** Joints further than this many times the nearest one's distance have no say, however soft the borders are. */
export const FAR_RATIO = 3;
/** Points are looked at in boxes, this many along the longest side. */
const BOXES_ACROSS = 32;

/**
 * The nearest bones of each point through the air, nearest first, by their factored distances; of the others, only
 * joints near the nearest one in the skeleton are kept. Bones that cannot matter to a box of points are sorted out once
 * for all of them.
 *
 * @param positions in the kernels' memory
 * @param soup       their surface: the box that points are sorted into
 * @param farOf by joint: how many times the nearest joint's distance it may be away and still have a say
 */
export function reachNearest(
  kernels: Kernels,
  skeleton: Skeleton,
  bones: Bones,
  positions: Float32Array,
  soup: Soup,
  watch: Watch,
  farOf: ArrayLike<number> = skeletonWide(skeleton),
): Reach {
  return new NearestSearch(kernels, skeleton, bones, positions, soup, farOf).run(watch);
}

/** Kernel memory that {@link reachNearest} takes, in bytes. */
export const nearestBytes = (pointCount: number, boneCount: number, jointCount: number): number =>
  pointCount * (REACH_WIDTH * 6 + 12) +
  8 * (BOXES_ACROSS + 1) ** 3 +
  boneCount * (2 + 24 + FACTOR_STEPS * 4 + 36 + CHUNK * 8) +
  jointCount ** 2 +
  256;

const skeletonWide = ({ joints }: Skeleton): Float64Array => new Float64Array(joints.length).fill(FAR_RATIO);

class NearestSearch {
  readonly #kernels: Kernels;
  readonly #work: NearestWork;
  readonly #grid: BoxGrid & { readonly starts: Uint32Array };

  constructor(
    kernels: Kernels,
    skeleton: Skeleton,
    bones: Bones,
    positions: Float32Array,
    { least, most, longest }: Soup,
    farOf: ArrayLike<number>,
  ) {
    this.#kernels = kernels;
    const pointCount = positions.length / 3;
    const size = longest / BOXES_ACROSS;
    const boxes = least.map((low, k) => Math.floor((most[k] - low) / size) + 1);
    const keys = kernels.i32(pointCount);
    kernels.boxPoints(positions, { least, size, counts: boxes }, keys);
    const { starts, members } = groupMembers(keys, boxes[0] * boxes[1] * boxes[2], kernels);
    this.#grid = { least, size, counts: boxes, starts };
    const { count, factors } = bones;
    const keep = <T extends Float32Array | Float64Array | Uint16Array | Uint8Array>(
      to: T,
      from: ArrayLike<number>,
    ): T => {
      to.set(from);
      return to;
    };
    this.#work = {
      members,
      positions,
      kept: kernels.i32(count),
      bones: {
        count,
        joints: keep(kernels.u16(count), bones.joints),
        ends: keep(kernels.f32(bones.ends.length), bones.ends),
        factors: keep(kernels.f32(factors.length), factors),
      },
      far: keep(
        kernels.f64(count),
        Float64Array.from(bones.joints, (joint) => farOf[joint]),
      ),
      near: keep(kernels.u8(skeleton.joints.length ** 2), nearTable(skeleton)),
      jointCount: skeleton.joints.length,
      reach: createReach(pointCount, REACH_WIDTH, kernels),
      ranges: kernels.f64(2 * count),
      lower: kernels.f64(count),
      lengths: kernels.f32(count * CHUNK),
      distances: kernels.f32(count * CHUNK),
    };
    for (let b = 0; b < count; b++) {
      const own = factors.subarray(b * FACTOR_STEPS, (b + 1) * FACTOR_STEPS);
      this.#work.ranges.set([Math.min(...own), Math.max(...own)], b * 2);
    }
  }

  run(watch: Watch): Reach {
    const { starts, size, least, counts } = this.#grid;
    const radius = (size * Math.sqrt(3)) / 2;
    for (let box = 0; box + 1 < starts.length; box++) {
      if ((box & 2047) === 0) watch(box / starts.length);
      if (starts[box] === starts[box + 1]) continue;
      const x = box % counts[0];
      const y = Math.floor(box / counts[0]) % counts[1];
      const z = Math.floor(box / (counts[0] * counts[1]));
      const kept = this.#kernels.keepBones(
        this.#work,
        least[0] + (x + 0.5) * size,
        least[1] + (y + 0.5) * size,
        least[2] + (z + 0.5) * size,
        radius,
      );
      this.#kernels.nearestBones(this.#work, starts[box], starts[box + 1], kept);
    }
    return this.#work.reach;
  }
}

/** Uint8Array, jointCount²: 1 where two joints are near each other in the skeleton. */
function nearTable({ joints }: Skeleton): Uint8Array {
  const count = joints.length;
  const near = new Uint8Array(count * count);
  const linked: number[][] = joints.map(() => []);
  joints.forEach(({ parent }, joint) => {
    if (parent < 0) return;
    linked[joint].push(parent);
    linked[parent].push(joint);
  });
  joints.forEach((_, start) => {
    let ring = [start];
    near[start * count + start] = 1;
    for (let step = 0; step < NEAR_STEPS; step++) {
      const next: number[] = [];
      for (const joint of ring) {
        for (const other of linked[joint]) {
          if (near[start * count + other]) continue;
          near[start * count + other] = 1;
          next.push(other);
        }
      }
      ring = next;
    }
  });
  return near;
}
