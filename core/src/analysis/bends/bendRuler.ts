import { subtreeOf, type Skeleton } from '../../skeleton/skeleton.ts';
import type { WeightRows } from '../../weights/rows.ts';
import type { BendPlace } from './bendFigures.ts';

/**
 * The joint by which a place that a bend stretches is called: the one that rules there among those that the bend leaves
 * alone, for a place tied to the wrong joint is where the others are; the one that rules where all of it moves along.
 */
export function rulerOf(
  skeleton: Skeleton,
  rows: readonly WeightRows[],
  joint: number,
  { part, point }: BendPlace,
): number {
  const moved = new Set(subtreeOf(skeleton, joint));
  const { joints, values, stride } = rows[part];
  const own: number[] = [];
  for (let k = point * stride; k < (point + 1) * stride && values[k] > 0; k++) own.push(joints[k]);
  return own.find((each) => !moved.has(each)) ?? own.at(0) ?? joint;
}
