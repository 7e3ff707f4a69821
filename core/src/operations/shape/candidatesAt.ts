import type { Neighbours } from '../../mesh/neighbours.ts';
import type { WeightRows } from '../../weights/rows.ts';

/** Joints that a point is weighed between, at most, where it has not more itself. */
export const MAX_CANDIDATES = 12;

/** What weighs two edges away counts so much. */
const FARTHER = 0.25;

/** Joints that a point may be weighed between. */
export interface PointCandidates {
  readonly joints: Uint16Array;
  /** By joint: 1 for those of the point and for the weightiest about it, more for those that weigh less there. */
  readonly scarcity: Float64Array;
}

/** Nobody is scarcer than this. */
const MAX_SCARCITY = 100;

/**
 * The joints that weigh at a point and within two edges of it: those of the point first, then the weightiest.
 * @param isOpen whether a joint that the point does not have may get weight there
 */
export function candidatesAt(
  rows: WeightRows,
  { offsets, points }: Neighbours,
  point: number,
  isOpen: (joint: number) => boolean,
): PointCandidates {
  const own: number[] = [];
  const near = new Map<number, number>();
  const add = (p: number, by: number): void => {
    for (let k = p * rows.stride, end = k + rows.stride; k < end && rows.values[k] !== 0; k++)
      near.set(rows.joints[k], (near.get(rows.joints[k]) ?? 0) + by * rows.values[k]);
  };
  for (let k = point * rows.stride, end = k + rows.stride; k < end && rows.values[k] !== 0; k++)
    own.push(rows.joints[k]);
  for (let e = offsets[point]; e < offsets[point + 1]; e++) {
    const q = points[e];
    add(q, 1);
    for (let f = offsets[q]; f < offsets[q + 1]; f++) if (points[f] !== point) add(points[f], FARTHER);
  }
  for (const joint of own) near.delete(joint);
  const others = [...near].filter(([joint]) => isOpen(joint)).sort((a, b) => b[1] - a[1] || a[0] - b[0]);
  const joints = [...own, ...others.map(([joint]) => joint)].slice(0, Math.max(own.length, MAX_CANDIDATES));
  const most = others.at(0)?.[1] ?? 1;
  const scarcity = joints.map((joint) => Math.min(MAX_SCARCITY, most / (near.get(joint) ?? most)));
  return { joints: Uint16Array.from(joints), scarcity: Float64Array.from(scarcity) };
}
