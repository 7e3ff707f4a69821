import type { WeightRows } from '../../weights/rows.ts';

/** Who says how bad bends are; holds weights of its own. */
export interface BendJudge {
  setRows(rows: readonly WeightRows[]): void;
  /** The points of what a joint's turn deforms. */
  regionsOf(joint: number): readonly { readonly part: number; readonly points: Uint32Array }[];
  /**
   * The damage of a joint's bends over its range, all together.
   * @param offset the joint turns about a place that is off its own by so much, scene space
   */
  damageOf(joint: number, offset?: readonly [number, number, number]): number;
  /** Where that is: by part, one number a point, in any measure. */
  damageAt(joint: number): ReadonlyMap<number, Float64Array>;
}
