import { rowsEqual } from './delta.ts';
import type { WeightRows } from './rows.ts';

/** Handles of a layer that had the same weights as their anchors when the stroke began. */
export class FollowingHandles {
  readonly #following: Uint8Array;
  readonly #ofAnchor = new Map<number, number[]>();

  constructor(anchors: Uint32Array, rows: WeightRows) {
    this.#following = new Uint8Array(anchors.length);
    anchors.forEach((anchor, p) => {
      if (anchor === p || !rowsEqual(rows, p, rows, anchor)) return;
      this.#following[p] = 1;
      const held = this.#ofAnchor.get(anchor);
      if (held) held.push(p);
      else this.#ofAnchor.set(anchor, [p]);
    });
  }

  follows(point: number): boolean {
    return this.#following[point] === 1;
  }

  of(anchor: number): readonly number[] {
    return this.#ofAnchor.get(anchor) ?? [];
  }
}
