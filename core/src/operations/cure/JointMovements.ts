import { influenceCount, type WeightRows } from '../../weights/rows.ts';

/** A joint that moves less than this share of what it moved is held more strongly; from the other on, less. */
const [LESS, ENOUGH] = [0.98, 0.995];
const [MIN_HOLD, MAX_HOLD] = [0.01, 64];

/** How far points are moved, in one measure. */
export interface Movements {
  /** By pose: the joint that it turns alone; -1 for others. */
  readonly turned: Int32Array;
  /** By pose: how far it moves the listed points as they came, together. */
  readonly moved: Float64Array;
  /** By joint: how far its poses move all other points, together. */
  readonly elsewhere: Float64Array;
}

/**
 * Sees to it that each joint goes on moving what it moved: a surface that does not follow has no bad bends. Where a joint
 * moves too little, points that are its own are held where they were, the more strongly the more they are.
 */
export class JointMovements {
  /** By listed point: how strongly it is held, as a share of what its neighbours say. */
  readonly holds: Float32Array;
  /** By listed point: how much it is a joint's own, 0 to 1: its weight against the joint's greatest. */
  readonly shares: Float32Array;
  readonly #points: Uint32Array;
  readonly #rows: WeightRows;
  readonly #turned: Int32Array;
  readonly #elsewhere: Float64Array;
  readonly #came: Float64Array;
  readonly #most: Float32Array;
  readonly #strengths: Float64Array;

  /**
   * @param points listed ones
   * @param rows   as they came
   */
  constructor(points: Uint32Array, rows: WeightRows, { turned, moved, elsewhere }: Movements) {
    this.#points = points;
    this.#rows = rows;
    this.#turned = turned;
    this.#elsewhere = elsewhere;
    const jointCount = elsewhere.length;
    this.#most = new Float32Array(jointCount);
    for (let k = 0; k < rows.values.length; k++)
      if (rows.values[k] > this.#most[rows.joints[k]]) this.#most[rows.joints[k]] = rows.values[k];
    this.#strengths = new Float64Array(jointCount).fill(MIN_HOLD);
    this.holds = new Float32Array(points.length);
    this.shares = Float32Array.from(points, (p) => {
      let own = 0;
      for (let k = p * rows.stride, end = k + influenceCount(rows, p); k < end; k++)
        own = Math.max(own, rows.values[k] / this.#most[rows.joints[k]]);
      return own;
    });
    this.#came = this.#byJoint(moved);
    this.#layHolds();
  }

  /** Holds joints that move too little more strongly, and the others less. @param moved by pose, as it is now */
  adjust(moved: Float64Array): void {
    const now = this.#byJoint(moved);
    this.#strengths.forEach((strength, joint) => {
      const share = this.#came[joint] > 0 ? now[joint] / this.#came[joint] : 1;
      if (share < LESS) this.#strengths[joint] = Math.min(MAX_HOLD, 2 * strength);
      else if (share > ENOUGH) this.#strengths[joint] = Math.max(MIN_HOLD, 0.8 * strength);
    });
    this.#layHolds();
  }

  /** How far each joint's poses move all points together. */
  #byJoint(moved: Float64Array): Float64Array {
    const sums = this.#elsewhere.slice();
    this.#turned.forEach((joint, k) => {
      if (joint >= 0) sums[joint] += moved[k];
    });
    return sums;
  }

  #layHolds(): void {
    const { joints, values, stride } = this.#rows;
    this.#points.forEach((p, i) => {
      let hold = 0;
      for (let k = p * stride, end = k + influenceCount(this.#rows, p); k < end; k++) {
        const own = values[k] / this.#most[joints[k]];
        hold = Math.max(hold, this.#strengths[joints[k]] * own * own);
      }
      this.holds[i] = hold;
    });
  }
}
