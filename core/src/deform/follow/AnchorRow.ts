/** What one place holds on to, at most. */
export const ANCHORS_A_PLACE = 12;

/** The anchors of one place while they are gathered; in room that is used again. */
export class AnchorRow {
  /** The points that something was added for, the first `count` of them; see {@link finish}. */
  readonly points: Uint32Array;
  count = 0;
  /** By point of the surface. */
  readonly #values: Float64Array;
  readonly #isIn: Uint8Array;

  constructor(pointCount: number) {
    this.points = new Uint32Array(pointCount);
    this.#values = new Float64Array(pointCount);
    this.#isIn = new Uint8Array(pointCount);
  }

  clear(): void {
    for (let i = 0; i < this.count; i++) this.#isIn[this.points[i]] = 0;
    this.count = 0;
  }

  of(point: number): number {
    return this.#values[point];
  }

  add(point: number, value: number): void {
    if (this.#isIn[point] === 0) {
      this.#isIn[point] = 1;
      this.#values[point] = 0;
      this.points[this.count++] = point;
    }
    this.#values[point] += value;
  }

  /**
   * Keeps the greatest, falling, and makes them sum to one. Where there are too many, what the first that is left out has is
   * taken off all: so none comes or goes at once from one place to the next.
   */
  finish(): void {
    const values = this.#values;
    this.points.subarray(0, this.count).sort((a, b) => values[b] - values[a] || a - b);
    const isFull = this.count > ANCHORS_A_PLACE;
    const off = isFull ? values[this.points[ANCHORS_A_PLACE]] : 0;
    for (let i = ANCHORS_A_PLACE; i < this.count; i++) this.#isIn[this.points[i]] = 0;
    if (isFull) this.count = ANCHORS_A_PLACE;
    // Of many that are alike nothing would be left.
    const less = values[this.points[0]] > off * 1.01 ? off : 0;
    while (this.count > 1 && values[this.points[this.count - 1]] <= less)
      this.#isIn[this.points[--this.count]] = 0;
    let sum = 0;
    for (let i = 0; i < this.count; i++) sum += values[this.points[i]] -= less;
    for (let i = 0; i < this.count; i++) values[this.points[i]] /= sum;
  }
}
