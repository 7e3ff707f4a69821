import { alongSegment } from '../../skeleton/bones.ts';
import { childrenOf, liveJoints, type Skeleton } from '../../skeleton/skeleton.ts';

/** Beyond a leaf, its bone goes on by this share of its parent's. */
const LEAF_SHARE = 0.5;

/** How far places are from the bones of each joint; bones lead to a joint's children, and on beyond a leaf. */
export class JointDistances {
  readonly #ends: Float32Array;
  /** Int32Array, jointCount + 1: joint → its bones. */
  readonly #first: Int32Array;

  /** @param places Float32Array, 3·jointCount */
  constructor(skeleton: Skeleton, places: Float32Array) {
    const children = childrenOf(skeleton);
    const live = new Set(liveJoints(skeleton));
    const ends: number[] = [];
    this.#first = new Int32Array(skeleton.joints.length + 1);
    skeleton.joints.forEach(({ parent }, joint) => {
      const own = [...places.subarray(joint * 3, joint * 3 + 3)];
      const next = children[joint].filter((child) => live.has(child));
      for (const child of next) ends.push(...own, ...places.subarray(child * 3, child * 3 + 3));
      if (next.length === 0 && live.has(joint)) {
        const above = parent < 0 ? own : [...places.subarray(parent * 3, parent * 3 + 3)];
        ends.push(...own, ...own.map((x, k) => x + LEAF_SHARE * (x - above[k])));
      }
      this.#first[joint + 1] = ends.length / 6;
    });
    this.#ends = Float32Array.from(ends);
  }

  /** From a place to the nearest bone of a joint; infinite for a joint that is not there. */
  to(joint: number, x: number, y: number, z: number): number {
    let least = Infinity;
    for (let b = this.#first[joint]; b < this.#first[joint + 1]; b++)
      least = Math.min(least, this.#toBone(b, x, y, z));
    return Math.sqrt(least);
  }

  /** From a place to the nearest bone of all. */
  nearest(x: number, y: number, z: number): number {
    let least = Infinity;
    for (let b = 0; b * 6 < this.#ends.length; b++) least = Math.min(least, this.#toBone(b, x, y, z));
    return Math.sqrt(least);
  }

  #toBone(b: number, x: number, y: number, z: number): number {
    const ends = this.#ends;
    const o = b * 6;
    const t = alongSegment(ends, o, x, y, z);
    const dx = x - ends[o] - (ends[o + 3] - ends[o]) * t;
    const dy = y - ends[o + 1] - (ends[o + 4] - ends[o + 1]) * t;
    const dz = z - ends[o + 2] - (ends[o + 5] - ends[o + 2]) * t;
    return dx * dx + dy * dy + dz * dz;
  }
}
