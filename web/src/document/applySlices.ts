import { apply, checkChange, type Change, type WeightRows } from '@judoka/core/weights';
import { nextTurn, slicesOf } from './turns.ts';

/**
 * Writes a change of very many points into rows, with turns for the page in between. Whoever calls has the writer's turn:
 * until it is done nothing else may change weights.
 *
 * @param written told of each slice
 * @throws CoreError `delta-mismatch` if the change was made on other weights; nothing is written then
 */
export async function applySlices(
  rows: readonly WeightRows[],
  change: Change,
  written: (part: number, points: Uint32Array, count: number) => void,
): Promise<void> {
  // All of it is looked at before anything is written.
  for (const slice of slicesOf(change)) {
    checkChange(rows, [slice]);
    await nextTurn();
  }
  for (const slice of slicesOf(change)) {
    await nextTurn();
    apply(rows, [slice]);
    written(slice.part, slice.points, slice.points.length);
  }
}
