import { countStrays, type Neighbours, type WeightRows } from '@judoka/core';
import * as Comlink from 'comlink';

let neighboursOfPart: readonly Neighbours[] = [];

const counter = {
  begin(neighbours: readonly Neighbours[]): void {
    neighboursOfPart = neighbours;
  },
  /** Strays a joint over all parts; `rows` are copies. */
  count(rowsOfPart: readonly WeightRows[], jointCount: number): Uint32Array {
    const total = new Uint32Array(jointCount);
    rowsOfPart.forEach((rows, part) => {
      countStrays(rows, neighboursOfPart[part], jointCount).forEach(
        (count, joint) => (total[joint] += count),
      );
    });
    return total;
  },
};
export type StrayCounter = typeof counter;
Comlink.expose(counter);
