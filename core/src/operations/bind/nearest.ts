import type { Skeleton } from '../../skeleton/skeleton.ts';
import { groupMembers, layGroups } from '../../spatial/groups.ts';
import { FACTOR_STEPS, type Bones } from '../../skeleton/bones.ts';
import type { Watch } from './insideDistance.ts';
import { createNearestJoints, type NearestJoints } from './nearestJoints.ts';
import { CHUNK, type BoxGrid, type NearestWork } from './nearestBones.ts';
import type { Soup } from '../../spatial/soup.ts';
import { bindKernels } from './bindKernels.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';

/** Joints that are at most this many steps along the skeleton apart may share a point. */
const NEAR_STEPS = 2;
/** Slots of a point's row. */
export const JOINTS_A_POINT = 6;
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
export function nearestJoints(
  memory: KernelMemory,
  skeleton: Skeleton,
  bones: Bones,
  positions: Float32Array,
  soup: Soup,
  watch: Watch,
  farOf: ArrayLike<number> = skeletonWide(skeleton),
): NearestJoints {
  return new NearestSearch(memory, skeleton, bones, positions, soup, farOf).run(watch);
}

type SearchRoom = Omit<NearestWork, 'members' | 'positions' | 'jointCount'>;

const laySearch = (
  memory: KernelMemory,
  pointCount: number,
  boneCount: number,
  jointCount: number,
): SearchRoom => ({
  kept: memory.i32(boneCount),
  bones: {
    count: boneCount,
    joints: memory.u16(boneCount),
    ends: memory.f32(boneCount * 6),
    factors: memory.f32(boneCount * FACTOR_STEPS),
  },
  far: memory.f64(boneCount),
  near: memory.u8(jointCount ** 2),
  nearest: createNearestJoints(pointCount, JOINTS_A_POINT, memory),
  ranges: memory.f64(2 * boneCount),
  lower: memory.f64(boneCount),
  lengths: memory.f32(boneCount * CHUNK),
  distances: memory.f32(boneCount * CHUNK),
});

/** Room that {@link nearestJoints} takes in the kernels' memory, for as many boxes as there may be. */
export const layNearest = (
  memory: KernelMemory,
  pointCount: number,
  boneCount: number,
  jointCount: number,
): unknown => [
  memory.i32(pointCount),
  layGroups(memory, pointCount, (BOXES_ACROSS + 1) ** 3),
  laySearch(memory, pointCount, boneCount, jointCount),
];

const skeletonWide = ({ joints }: Skeleton): Float64Array => new Float64Array(joints.length).fill(FAR_RATIO);

class NearestSearch {
  readonly #memory: KernelMemory;
  readonly #work: NearestWork;
  readonly #grid: BoxGrid & { readonly starts: Uint32Array };

  constructor(
    memory: KernelMemory,
    skeleton: Skeleton,
    bones: Bones,
    positions: Float32Array,
    { least, most, longest }: Soup,
    farOf: ArrayLike<number>,
  ) {
    this.#memory = memory;
    const pointCount = positions.length / 3;
    const size = longest / BOXES_ACROSS;
    const boxes = least.map((low, k) => Math.floor((most[k] - low) / size) + 1);
    const keys = memory.i32(pointCount);
    bindKernels(memory).boxPoints(positions, { least, size, counts: boxes }, keys);
    const { starts, members } = groupMembers(keys, boxes[0] * boxes[1] * boxes[2], memory);
    this.#grid = { least, size, counts: boxes, starts };
    const { count, factors } = bones;
    const jointCount = skeleton.joints.length;
    const room = laySearch(memory, pointCount, count, jointCount);
    room.bones.joints.set(bones.joints);
    room.bones.ends.set(bones.ends);
    room.bones.factors.set(factors);
    room.far.set(Float64Array.from(bones.joints, (joint) => farOf[joint]));
    room.near.set(nearTable(skeleton));
    this.#work = { members, positions, jointCount, ...room };
    for (let b = 0; b < count; b++) {
      const own = factors.subarray(b * FACTOR_STEPS, (b + 1) * FACTOR_STEPS);
      this.#work.ranges.set([Math.min(...own), Math.max(...own)], b * 2);
    }
  }

  run(watch: Watch): NearestJoints {
    const { starts, size, least, counts } = this.#grid;
    const radius = (size * Math.sqrt(3)) / 2;
    for (let box = 0; box + 1 < starts.length; box++) {
      if ((box & 2047) === 0) watch(box / starts.length);
      if (starts[box] === starts[box + 1]) continue;
      const x = box % counts[0];
      const y = Math.floor(box / counts[0]) % counts[1];
      const z = Math.floor(box / (counts[0] * counts[1]));
      const kept = bindKernels(this.#memory).keepBones(
        this.#work,
        least[0] + (x + 0.5) * size,
        least[1] + (y + 0.5) * size,
        least[2] + (z + 0.5) * size,
        radius,
      );
      bindKernels(this.#memory).nearestBones(this.#work, starts[box], starts[box + 1], kept);
    }
    return this.#work.nearest;
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
