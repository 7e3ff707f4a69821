import type { WeightRows } from '../../weights/rows.ts';

/** The weights of one place while they are mixed from those of corners; used again for the next place. */
export class MixedRow {
  /** How many joints there are; what stands behind them is left from another place. */
  count = 0;
  readonly joints: number[] = [];
  readonly weights: number[] = [];
  /** Of the corners that have a joint: the least and the most, and how many they are. */
  readonly #least: number[] = [];
  readonly #most: number[] = [];
  readonly #corners: number[] = [];

  clear(): void {
    this.count = 0;
  }

  /** Adds to a joint's weight. */
  add(joint: number, weight: number): void {
    this.weights[this.#slot(joint)] += weight;
  }

  addCorner(of: WeightRows, point: number, share: number): void {
    for (let k = point * of.stride, end = k + of.stride; k < end && of.values[k] !== 0; k++) {
      const slot = this.#slot(of.joints[k]);
      const weight = of.values[k];
      this.weights[slot] += share * weight;
      if (weight < this.#least[slot]) this.#least[slot] = weight;
      if (weight > this.#most[slot]) this.#most[slot] = weight;
      this.#corners[slot]++;
    }
  }

  /** No joint gets more than the corner that has most of it, nor less than the one that has least. */
  keepInRange(): void {
    for (let k = 0; k < this.count; k++) {
      const least = this.#corners[k] === 3 ? this.#least[k] : 0;
      this.weights[k] = Math.min(this.#most[k], Math.max(least, this.weights[k]));
    }
  }

  #slot(joint: number): number {
    for (let k = 0; k < this.count; k++) if (this.joints[k] === joint) return k;
    const slot = this.count++;
    this.joints[slot] = joint;
    this.weights[slot] = 0;
    this.#least[slot] = 1;
    this.#most[slot] = 0;
    this.#corners[slot] = 0;
    return slot;
  }
}
