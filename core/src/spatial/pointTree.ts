/**
 * The nearest of many points: a balanced tree over their numbers (Bentley 1975), kept in one flat array. Node i of a
 * range is its middle; the lower half along the range's axis stands before it.
 */
export class PointTree {
  readonly #positions: Float32Array;
  readonly #order: Uint32Array;
  readonly #stack = new Int32Array(256);

  /** @param points the points to look among; the array is kept and sorted in place */
  constructor(positions: Float32Array, points: Uint32Array) {
    this.#positions = positions;
    this.#order = points;
    const work: number[] = [0, points.length, 0];
    while (work.length > 0) {
      const axis = work.pop() as number;
      const to = work.pop() as number;
      const from = work.pop() as number;
      if (to - from <= 1) continue;
      const middle = (from + to) >> 1;
      this.#select(from, to - 1, middle, axis);
      work.push(from, middle, (axis + 1) % 3, middle + 1, to, (axis + 1) % 3);
    }
  }

  /** The point nearest to a place and nearer than `most`, among those that `counts`; -1 for none. */
  nearest(x: number, y: number, z: number, most = Infinity, counts?: (point: number) => boolean): number {
    const positions = this.#positions;
    const stack = this.#stack;
    const at = [x, y, z];
    let best = -1;
    let least = most * most;
    let top = 0;
    stack[top++] = 0;
    stack[top++] = this.#order.length;
    stack[top++] = 0;
    while (top > 0) {
      const axis = stack[--top];
      const to = stack[--top];
      const from = stack[--top];
      if (to <= from) continue;
      const middle = (from + to) >> 1;
      const point = this.#order[middle];
      const dx = positions[point * 3] - x;
      const dy = positions[point * 3 + 1] - y;
      const dz = positions[point * 3 + 2] - z;
      const far = dx * dx + dy * dy + dz * dz;
      if ((far < least || (far === least && point < best)) && (!counts || counts(point))) {
        least = far;
        best = point;
      }
      const past = at[axis] - positions[point * 3 + axis];
      const next = (axis + 1) % 3;
      // The far half goes below the near one on the stack, and only if it can hold something nearer.
      if (past * past <= least) {
        stack[top++] = past < 0 ? middle + 1 : from;
        stack[top++] = past < 0 ? to : middle;
        stack[top++] = next;
      }
      stack[top++] = past < 0 ? from : middle + 1;
      stack[top++] = past < 0 ? middle : to;
      stack[top++] = next;
    }
    return best;
  }

  #select(left: number, right: number, wanted: number, axis: number): void {
    const order = this.#order;
    const key = (i: number): number => this.#positions[order[i] * 3 + axis];
    while (left < right) {
      const pivot = key((left + right) >> 1);
      let i = left;
      let j = right;
      while (i <= j) {
        while (key(i) < pivot) i++;
        while (key(j) > pivot) j--;
        if (i <= j) {
          const held = order[i];
          order[i++] = order[j];
          order[j--] = held;
        }
      }
      if (wanted <= j) right = j;
      else if (wanted >= i) left = i;
      else break;
    }
  }
}
