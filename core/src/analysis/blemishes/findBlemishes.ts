import type { Blemish } from '../../document/blemish.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { findHardBorders } from './findHardBorders.ts';
import { findNoise } from './findNoise.ts';

/** Where weights run badly over the surface: those that jump most first. */
export function findBlemishes({
  parts,
  rows,
  skeleton,
  pairs,
}: Pick<CheckInput, 'parts' | 'rows' | 'skeleton' | 'pairs'>): Blemish[] {
  const skinned = parts.map((shape, part) =>
    shape.role === 'skinned'
      ? {
          shape,
          rows: rows[part],
          neighbours: findNeighbours(
            { offsets: shape.polygonOffsets, points: shape.polygonPoints },
            shape.pointCount,
          ),
        }
      : undefined,
  );
  return [
    ...findNoise(skinned, skeleton.joints.length),
    ...findHardBorders(skinned, skeleton, pairs.partner),
  ].sort((a, b) => b.amount - a.amount || a.part - b.part);
}
