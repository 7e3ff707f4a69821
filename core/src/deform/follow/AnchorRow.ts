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
    this.#sortFirst();
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

  /** Brings the greatest to the front, falling, one more than are kept; the lower number before another that is as great. */
  #sortFirst(): void {
    const [points, values] = [this.points, this.#values];
    const last = Math.min(this.count - 1, ANCHORS_A_PLACE);
    for (let i = 1; i < this.count; i++) {
      const point = points[i];
      const value = values[point];
      let k = i;
      if (i > last) {
        if (!isBefore(point, value, points[last], values)) continue;
        points[i] = points[last];
        k = last;
      }
      for (; k > 0 && isBefore(point, value, points[k - 1], values); k--) points[k] = points[k - 1];
      points[k] = point;
    }
  }
}

const isBefore = (point: number, value: number, other: number, values: Float64Array): boolean =>
  value > values[other] || (value === values[other] && point < other);
