import { countStrays } from '@judoka/core/analysis/strays';
import type { Neighbours } from '@judoka/core/mesh';
import type { WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';

let neighboursOfPart: readonly Neighbours[] = [];

const counter = {
  begin(neighbours: readonly Neighbours[]): void {
    neighboursOfPart = neighbours;
  },
  /** Strays a joint over all parts; `rows` are copies, and go back. */
  count(
    rowsOfPart: readonly WeightRows[],
    jointCount: number,
  ): { counts: Uint32Array; rows: readonly WeightRows[] } {
    const total = new Uint32Array(jointCount);
    rowsOfPart.forEach((rows, part) => {
      countStrays(rows, neighboursOfPart[part], jointCount).forEach(
        (count, joint) => (total[joint] += count),
      );
    });
    const buffers = rowsOfPart.flatMap(({ joints, values }) => [joints.buffer, values.buffer]);
    return Comlink.transfer({ counts: total, rows: rowsOfPart }, buffers);
  },
};
export type StrayCounter = typeof counter;
Comlink.expose(counter);
