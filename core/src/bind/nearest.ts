import type { Skeleton } from '../skeleton/skeleton.ts';
import { createMeasure, FACTOR_STEPS, measureBone, type Bones } from './bones.ts';
import { createReach, putReach, type Reach, type Watch } from './insideDistance.ts';

/** Joints that are at most this many steps along the skeleton apart may share a point. */
const NEAR_STEPS = 2;
const WIDTH = 6;
/** Joints further than this many times the nearest one's distance have no say, however soft the borders are. */
export const FAR_RATIO = 3;
/** Points are looked at in boxes, this many along the longest side. */
const BOXES_ACROSS = 24;

/**
 * The nearest bones of each point through the air, nearest first, by their factored distances; of the others, only
 * joints near the nearest one in the skeleton are kept. Bones that cannot matter to a box of points are sorted out once
 * for all of them.
 *
 * @param farOf by joint: how many times the nearest joint's distance it may be away and still have a say
 */
export function reachNearest(
  skeleton: Skeleton,
  bones: Bones,
  positions: Float32Array,
  points: Uint32Array,
  watch: Watch,
  farOf: ArrayLike<number> = skeletonWide(skeleton),
): Reach {
  const search = new NearestSearch(skeleton, bones, positions, points, farOf);
  search.run(watch);
  return search.reach;
}

const skeletonWide = ({ joints }: Skeleton): Float64Array => new Float64Array(joints.length).fill(FAR_RATIO);

class NearestSearch {
  readonly reach: Reach;
  readonly #bones: Bones;
  readonly #positions: Float32Array;
  readonly #points: Uint32Array;
  readonly #near: Uint8Array;
  readonly #jointCount: number;
  readonly #leastFactors: Float64Array;
  readonly #mostFactors: Float64Array;
  readonly #measure = createMeasure();
  /** By bone. */
  readonly #far: Float64Array;
  readonly #lower: Float64Array;
  readonly #kept: Int32Array;
  readonly #distances: Float64Array;
  readonly #lengths: Float64Array;

  constructor(
    skeleton: Skeleton,
    bones: Bones,
    positions: Float32Array,
    points: Uint32Array,
    farOf: ArrayLike<number>,
  ) {
    this.reach = createReach(points.length, WIDTH);
    this.#bones = bones;
    this.#positions = positions;
    this.#points = points;
    this.#near = nearTable(skeleton);
    this.#jointCount = skeleton.joints.length;
    const { count, factors } = bones;
    const steps = Array.from({ length: count }, (_, b) =>
      factors.subarray(b * FACTOR_STEPS, (b + 1) * FACTOR_STEPS),
    );
    this.#leastFactors = Float64Array.from(steps, (own) => Math.min(...own));
    this.#mostFactors = Float64Array.from(steps, (own) => Math.max(...own));
    this.#far = Float64Array.from(bones.joints, (joint) => farOf[joint]);
    this.#lower = new Float64Array(count);
    this.#kept = new Int32Array(count);
    this.#distances = new Float64Array(count);
    this.#lengths = new Float64Array(count);
  }

  run(watch: Watch): void {
    const { starts, members, size, least, counts } = this.#boxes();
    const radius = (size * Math.sqrt(3)) / 2;
    for (let box = 0; box + 1 < starts.length; box++) {
      if ((box & 2047) === 0) watch(box / starts.length);
      if (starts[box] === starts[box + 1]) continue;
      const x = box % counts[0];
      const y = Math.floor(box / counts[0]) % counts[1];
      const z = Math.floor(box / (counts[0] * counts[1]));
      const kept = this.#sortOut(
        least[0] + (x + 0.5) * size,
        least[1] + (y + 0.5) * size,
        least[2] + (z + 0.5) * size,
        radius,
      );
      this.#look(members, starts[box], starts[box + 1], kept);
    }
  }

  /** The points by boxes: counting sort. */
  #boxes() {
    const positions = this.#positions;
    const points = this.#points;
    const least = [Infinity, Infinity, Infinity];
    const most = [-Infinity, -Infinity, -Infinity];
    for (let k = 0; k < 3; k++) {
      let [low, high] = [Infinity, -Infinity];
      for (let i = 0; i < points.length; i++) {
        const x = positions[points[i] * 3 + k];
        if (x < low) low = x;
        if (x > high) high = x;
      }
      least[k] = low;
      most[k] = high;
    }
    const size = Math.max(...most.map((x, k) => x - least[k]), 1e-12) / BOXES_ACROSS;
    const counts = least.map((low, k) => Math.floor((most[k] - low) / size) + 1);
    const [lx, ly, lz] = least;
    const [nx, ny, nz] = counts;
    const boxOf = new Uint32Array(points.length);
    const starts = new Uint32Array(nx * ny * nz + 1);
    for (let i = 0; i < boxOf.length; i++) {
      const at = points[i] * 3;
      const x = Math.floor((positions[at] - lx) / size);
      const y = Math.floor((positions[at + 1] - ly) / size);
      const z = Math.floor((positions[at + 2] - lz) / size);
      boxOf[i] = (z * ny + y) * nx + x;
      starts[boxOf[i] + 1]++;
    }
    for (let box = 1; box < starts.length; box++) starts[box] += starts[box - 1];
    const ends = starts.slice(0, -1);
    const members = new Uint32Array(boxOf.length);
    for (let i = 0; i < boxOf.length; i++) members[ends[boxOf[i]]++] = i;
    return { starts, members, size, least, counts };
  }

  /** Bones that can be nearest somewhere in a ball, and those near one of them in the skeleton that are not too far. */
  #sortOut(x: number, y: number, z: number, radius: number): number {
    const { count, joints } = this.#bones;
    const lower = this.#lower;
    let upper = Infinity;
    for (let b = 0; b < count; b++) {
      measureBone(this.#bones, b, x, y, z, this.#measure);
      lower[b] = Math.max(0, this.#measure.length - radius) * this.#leastFactors[b];
      upper = Math.min(upper, (this.#measure.length + radius) * this.#mostFactors[b]);
    }
    const first: number[] = [];
    for (let b = 0; b < count; b++) if (lower[b] <= upper) first.push(joints[b]);
    let kept = 0;
    for (let b = 0; b < count; b++) {
      if (lower[b] > this.#far[b] * upper) continue;
      if (first.some((joint) => this.#near[joint * this.#jointCount + joints[b]])) this.#kept[kept++] = b;
    }
    return kept;
  }

  #look(members: Uint32Array, from: number, to: number, keptCount: number): void {
    const bones = this.#bones;
    const { joints } = bones;
    const kept = this.#kept;
    const distances = this.#distances;
    const lengths = this.#lengths;
    const near = this.#near;
    const far = this.#far;
    const measure = this.#measure;
    const positions = this.#positions;
    const points = this.#points;
    const { reach } = this;
    for (let m = from; m < to; m++) {
      const i = members[m];
      const at = points[i] * 3;
      const x = positions[at];
      const y = positions[at + 1];
      const z = positions[at + 2];
      let nearest = 0;
      for (let k = 0; k < keptCount; k++) {
        measureBone(bones, kept[k], x, y, z, measure);
        lengths[k] = measure.length;
        distances[k] = measure.length * measure.factor;
        if (distances[k] > distances[nearest]) continue;
        if (distances[k] < distances[nearest] || joints[kept[k]] < joints[kept[nearest]]) nearest = k;
      }
      const row = joints[kept[nearest]] * this.#jointCount;
      for (let k = 0; k < keptCount; k++) {
        if (distances[k] > far[kept[k]] * distances[nearest]) continue;
        const joint = joints[kept[k]];
        if (near[row + joint] !== 0) putReach(reach, i, joint, distances[k]);
      }
      reach.radii[i] = lengths[nearest];
    }
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
