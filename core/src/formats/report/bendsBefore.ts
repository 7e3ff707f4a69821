import { type BendMeter, type JointTrial, rankBends, runRange } from '../../analysis/bends/index.ts';
import type { MotionRange } from '../../animation/motionRange.ts';
import { differingRows } from '../../weights/delta.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { REPORT_ORDER } from './reportOrder.ts';

/**
 * How joints bent before weights were changed: of those alone whose bends have a changed point in them, the worst first.
 * @param meter holds the weights as they are now; those of before afterwards
 */
export function bendsBefore(
  meter: BendMeter,
  ranges: readonly MotionRange[],
  before: readonly WeightRows[],
  now: readonly WeightRows[],
): JointTrial[] {
  const changed = now.map((rows, part) => differingRows(before[part], rows));
  if (changed.every((own) => !own.includes(1))) return [];
  const isTouched = (joint: number): boolean =>
    meter.pointsOf(joint).some(({ part, points }) => points.some((p) => changed[part][p] === 1));
  const touched = new Set(ranges.filter(({ joint }) => isTouched(joint)).map(({ joint }) => joint));
  meter.setRows(before);
  for (const { joint } of ranges) if (!touched.has(joint) && isTouched(joint)) touched.add(joint);
  const wanted = ranges.filter(({ joint }) => touched.has(joint));
  return rankBends(runRange(meter, wanted, undefined, { crossings: REPORT_ORDER }), REPORT_ORDER);
}
