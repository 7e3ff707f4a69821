import { type Change, countPoints, type Delta } from '@judoka/core/weights';

/** A change of more points than this is done in turns, so that the page does not stand still. */
const LARGE = 20_000;
/** Points a turn. */
const SLICE = 16_384;

/** Lets the page do what waits: input, drawing. */
export const nextTurn = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

export const isLarge = (change: Change): boolean => countPoints(change) > LARGE;

/** A change in slices of its points, in order; together they do what it does. The slices look into its arrays. */
export function* slicesOf(change: Change): Generator<Delta> {
  for (const delta of change) {
    for (let from = 0; from < delta.points.length; from += SLICE) {
      const points = delta.points.subarray(from, from + SLICE);
      const rows = (of: Delta['before']): Delta['before'] => ({
        ...of,
        pointCount: points.length,
        joints: of.joints.subarray(from * of.stride, (from + points.length) * of.stride),
        values: of.values.subarray(from * of.stride, (from + points.length) * of.stride),
      });
      yield { part: delta.part, points, before: rows(delta.before), after: rows(delta.after) };
    }
  }
}
