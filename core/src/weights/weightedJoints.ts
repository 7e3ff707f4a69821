import type { WeightRows } from './rows.ts';

/** Uint8Array, jointCount: 1 for joints that some point of a part has weight of. */
export function weightedJoints(rowsOfPart: readonly WeightRows[], jointCount: number): Uint8Array {
  const weighted = new Uint8Array(jointCount);
  for (const { joints, values } of rowsOfPart)
    for (let k = 0; k < values.length; k++) if (values[k] > 0) weighted[joints[k]] = 1;
  return weighted;
}
