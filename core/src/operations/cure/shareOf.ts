import type { WeightRows } from '../../weights/rows.ts';

/** How much of a point goes along with marked joints. @param moves by joint: 1 for those */
export function shareOf({ joints, values, stride }: WeightRows, point: number, moves: Uint8Array): number {
  let share = 0;
  for (let k = point * stride; k < (point + 1) * stride && values[k] !== 0; k++)
    if (moves[joints[k]] === 1) share += values[k];
  return share;
}
