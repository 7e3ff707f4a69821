import { PointTree } from '../../spatial/pointTree.ts';
import type { MirrorSpace } from '../../document/space/mirrorSpace.ts';
import type { MirrorPlane, PointPairs } from './pairPoints.ts';

/**
 * Pairs in which no point is alone: one without a counterpart gets the point nearest to its mirrored place. It need not
 * be meant back, so these serve to carry weights across, not to paint on both sides.
 */
export function fillUnpaired(
  { positions }: Pick<MirrorSpace, 'positions'>,
  { axis, middle }: MirrorPlane,
  pairs: PointPairs,
): PointPairs {
  if (!pairs.includes(-1)) return pairs;
  const tree = new PointTree(
    positions,
    Uint32Array.from(pairs, (_, p) => p),
  );
  const at = [0, 0, 0];
  return pairs.map((other, p) => {
    if (other >= 0) return other;
    for (let k = 0; k < 3; k++) at[k] = positions[p * 3 + k];
    at[axis] = 2 * middle - at[axis];
    return tree.nearest(at[0], at[1], at[2]);
  });
}
