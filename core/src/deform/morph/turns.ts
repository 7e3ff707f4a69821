import { mat3, mat4, quat } from 'gl-matrix';

/** A joint's turn about one of its own axes, by which something goes on: not at all at `from`, whole at `to`; degrees. */
export interface TurnRange {
  readonly joint: number;
  readonly axis: 'x' | 'y' | 'z';
  readonly from: number;
  readonly to: number;
  /** Whether it begins and ends gently. */
  readonly isSmooth?: boolean;
}

/** How much of something there is at an angle: 0..1. */
export function shareAt({ from, to, isSmooth }: TurnRange, angle: number): number {
  if (from === to) return angle >= to ? 1 : 0;
  const share = Math.min(1, Math.max(0, (angle - from) / (to - from)));
  return isSmooth ? share * share * (3 - 2 * share) : share;
}

/**
 * How far a joint has turned against its parent about one of its own axes, in degrees, −180 to 180: of the turn that leads from
 * rest to where it is, the part about that axis (swing and twist).
 *
 * @param palette      what joints do to a part: Float32Array, 16 a joint, the part's own place last
 * @param inverseBinds the part's
 * @param parent       the joint's; −1 for none
 */
export function turnAngle(
  palette: Float32Array,
  inverseBinds: Float32Array,
  { joint, axis }: Pick<TurnRange, 'joint' | 'axis'>,
  parent: number,
): number {
  const above = parent < 0 ? palette.length - 16 : parent * 16;
  const [back, turn, bind] = [mat4.create(), mat4.create(), mat4.create()];
  if (!mat4.invert(back, palette.subarray(above, above + 16))) return 0;
  if (!mat4.invert(bind, inverseBinds.subarray(joint * 16, joint * 16 + 16))) return 0;
  mat4.multiply(turn, back, palette.subarray(joint * 16, joint * 16 + 16));
  const column = 'xyz'.indexOf(axis) * 4;
  const [x, y, z] = [bind[column], bind[column + 1], bind[column + 2]];
  const q = quat.normalize(quat.create(), quat.fromMat3(quat.create(), turnOf(turn)));
  const along = (q[0] * x + q[1] * y + q[2] * z) / (Math.hypot(x, y, z) || 1);
  const angle = (2 * Math.atan2(along, q[3]) * 180) / Math.PI;
  return angle > 180 ? angle - 360 : angle < -180 ? angle + 360 : angle;
}

/** A matrix without what it scales. */
function turnOf(m: mat4): mat3 {
  const out = mat3.create();
  for (let c = 0; c < 3; c++) {
    const length = Math.hypot(m[c * 4], m[c * 4 + 1], m[c * 4 + 2]) || 1;
    for (let r = 0; r < 3; r++) out[c * 3 + r] = m[c * 4 + r] / length;
  }
  return out;
}
