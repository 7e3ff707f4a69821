import type { WeightRows } from '@judoka/core/weights';

/**
 * Copies of rows for another thread, which hands their memory back when it is done: tens of megabytes allotted anew at
 * every edit would keep the garbage collector busy on the page's time.
 */
export class RowCopies {
  #spare: readonly WeightRows[] = [];

  /** Copies, and the buffers that go with them. */
  of(rows: readonly WeightRows[]): { rows: WeightRows[]; buffers: ArrayBuffer[] } {
    const spare = this.#spare;
    this.#spare = [];
    const copies = rows.map((row, part): WeightRows => {
      const held = spare.at(part);
      if (held?.joints.length !== row.joints.length)
        return { ...row, joints: row.joints.slice(), values: row.values.slice() };
      held.joints.set(row.joints);
      held.values.set(row.values);
      return held;
    });
    const buffers = copies.flatMap(({ joints, values }) => [joints.buffer, values.buffer]) as ArrayBuffer[];
    return { rows: copies, buffers };
  }

  /** Memory that came back. */
  giveBack(rows: readonly WeightRows[]): void {
    this.#spare = rows;
  }
}
