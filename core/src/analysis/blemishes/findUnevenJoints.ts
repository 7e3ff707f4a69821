import type { CheckInput } from '../../document/checkInput.ts';
import { gatherBindSpace } from '../../document/space/bindSpace.ts';
import { PointCells } from '../../spatial/pointCells.ts';
import { mirroredDistance } from '../../weights/mirroredDistance.ts';

/** Rows are unlike from half this summed difference on. */
const UNLIKE = 0.15;
/** Joints are uneven where so many points are unlike, and this share of those that follow them. */
const FEWEST = 10;
const SHARE = 0.04;

/**
 * Joints, of both sides, whose weights are not those of their partners, where the surface has two sides alike. Which of
 * them is the worse, their bends say. Those with the most points that are unlike come first, each with its partner.
 */
export function findUnevenJoints({
  parts,
  rows,
  pairs,
  tolerance,
  skeleton,
}: Pick<CheckInput, 'parts' | 'rows' | 'pairs' | 'tolerance' | 'skeleton'>): number[] {
  const { axis, middle, partner } = pairs;
  const unlike = new Uint32Array(skeleton.joints.length);
  const followed = new Uint32Array(skeleton.joints.length);
  const dense = new Float64Array(skeleton.joints.length);
  parts.forEach((part, index) => {
    if (part.role !== 'skinned') return;
    const own = rows[index];
    const { positions } = gatherBindSpace(parts, [index]);
    const cells = new PointCells(positions, new Uint32Array(part.pointCount).keys(), tolerance);
    for (let p = 0; p < part.pointCount; p++) {
      const joint = own.joints[p * own.stride];
      if (own.values[p * own.stride] === 0 || partner[joint] < 0 || partner[joint] === joint) continue;
      followed[joint]++;
      const at = [positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]];
      at[axis] = 2 * middle - at[axis];
      const across = cells.nearest(at[0], at[1], at[2]);
      if (across < 0) continue;
      if (mirroredDistance(own, p, own, across, partner, dense) > UNLIKE) unlike[joint]++;
    }
  });
  const isUneven = (joint: number): boolean =>
    unlike[joint] >= FEWEST && unlike[joint] >= SHARE * followed[joint];
  const worst = [...unlike.keys()].filter(isUneven).sort((a, b) => unlike[b] - unlike[a] || a - b);
  return [...new Set(worst.flatMap((joint) => [joint, partner[joint]]))];
}
