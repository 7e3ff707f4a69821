import { influenceCount, type WeightRows } from '../../weights/rows.ts';

/** Weights of one point, summed by joint; in room that is used again. */
export class JointSums {
  /** The joints that something was added for, the first `count` of them, in the order they came. */
  readonly joints: Uint16Array;
  count = 0;
  /** By joint. */
  readonly #sums: Float64Array;
  readonly #isIn: Uint8Array;

  constructor(jointCount: number) {
    this.joints = new Uint16Array(jointCount);
    this.#sums = new Float64Array(jointCount);
    this.#isIn = new Uint8Array(jointCount);
  }

  clear(): void {
    for (let k = 0; k < this.count; k++) this.#isIn[this.joints[k]] = 0;
    this.count = 0;
  }

  has(joint: number): boolean {
    return this.#isIn[joint] === 1;
  }

  of(joint: number): number {
    return this.#isIn[joint] === 1 ? this.#sums[joint] : 0;
  }

  add(joint: number, by: number): void {
    if (this.#isIn[joint] === 0) {
      this.#isIn[joint] = 1;
      this.#sums[joint] = 0;
      this.joints[this.count++] = joint;
    }
    this.#sums[joint] += by;
  }

  addRow(rows: WeightRows, point: number, by: number): void {
    for (let k = point * rows.stride, end = k + influenceCount(rows, point); k < end; k++)
      this.add(rows.joints[k], by * rows.values[k]);
  }

  /** Brings those that have most to the beginning, the lower joint first where two have the same. @returns how many, `most` at most */
  largest(most: number): number {
    const { joints } = this;
    const found = Math.min(most, this.count);
    for (let k = 0; k < found; k++) {
      let best = k;
      for (let other = k + 1; other < this.count; other++) {
        const more = this.#sums[joints[other]] - this.#sums[joints[best]];
        if (more > 0 || (more === 0 && joints[other] < joints[best])) best = other;
      }
      const joint = joints[best];
      joints[best] = joints[k];
      joints[k] = joint;
    }
    return found;
  }
}

/** One more than the greatest joint in rows. */
export function jointsIn({ joints }: WeightRows): number {
  let most = 0;
  for (let k = 0; k < joints.length; k++) if (joints[k] > most) most = joints[k];
  return most + 1;
}
