import { influenceCount } from '../weights/rows.ts';
import type { Character } from './character.ts';

/** How far a sum may be off one for each weight in it, as validators of the format have it. */
const SUM_TOLERANCE = 2e-7;

export const isInexact = (sum: number, count: number): boolean => Math.abs(sum - 1) > SUM_TOLERANCE * count;

/** Vertices of a part whose own sums a validator would refuse, as far as the file has them so. */
export function countInexact({ parts, sourceWeights, rows }: Character, index: number): number {
  const { sums, asCame } = sourceWeights[index];
  const { vertexPoint } = parts[index];
  let count = 0;
  for (let v = 0; v < sums.length; v++)
    if (asCame[v] && isInexact(sums[v], influenceCount(rows[index], vertexPoint[v]))) count++;
  return count;
}
