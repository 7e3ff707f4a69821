import type { WeightRows } from '../../weights/rows.ts';
import type { Chains } from '../../skeleton/chains.ts';
import type { NearestJoints } from './nearestJoints.ts';

/** Steeper than this, no share counts: the bell has fallen to a ten-thousandth. */
const STEEPEST = 9.25;

/** e to the power of -x, for x from 0 to about ten: a short series, the same to the bit in the memory. */
export function bell(x: number): number {
  const y = x / -16;
  let e = y / 9;
  for (let n = 8; n >= 1; n--) e = (y / n) * (1 + e);
  e += 1;
  e *= e;
  e *= e;
  e *= e;
  return e * e;
}

/** The loop of blendNearest; twin of blendRows in core/kernels/nearest.ts. */
export function blendRows(
  { width, pointCount, joints, distances, radii }: NearestJoints,
  { ofJoint, lengths, softness: chainSoftness }: Chains,
  softness: number,
  leastShare: number,
  rows: WeightRows,
): void {
  const shares = new Float64Array(width);
  for (let p = 0; p < pointCount; p++) {
    const first = p * width;
    const least = distances[first];
    const nearest = joints[first];
    const radius = Math.max(radii[p], 1e-12);
    let sum = 0;
    let used = 0;
    for (let k = 0; k < width && distances[first + k] !== Infinity; k++) {
      const joint = joints[first + k];
      const ratio = least > 0 ? distances[first + k] / least : k === 0 ? 1 : Infinity;
      const beyond = radius * Math.sqrt(Math.max(0, ratio * ratio - 1));
      let border = softness * radius;
      if (ofJoint[nearest] >= 0 && ofJoint[nearest] === ofJoint[joint])
        border = Math.max(border, chainSoftness * softness * ((lengths[nearest] + lengths[joint]) / 2));
      const steep = beyond / border;
      if (!(steep * steep < STEEPEST)) continue;
      const share = bell(steep * steep);
      if (!(share > leastShare)) continue;
      rows.joints[p * rows.stride + used] = joint;
      shares[used++] = share;
      sum += share;
    }
    for (let k = 0; k < used; k++) rows.values[p * rows.stride + k] = shares[k] / sum;
  }
}
