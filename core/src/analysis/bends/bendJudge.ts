import { type MotionRange, rangePoses } from '../../animation/motionRange.ts';
import type { BendJudge } from '../../operations/cure/BendJudge.ts';
import { pivoted } from '../../skeleton/pivoted.ts';
import type { BendMeter } from './bendMeter.ts';

/** Says how bad bends are, over the joints' ranges of motion. The meter is its own from now on. */
export function bendJudge(meter: BendMeter, ranges: readonly MotionRange[]): BendJudge {
  const poses = new Map(ranges.map((range) => [range.joint, rangePoses(range)]));
  return {
    setRows: (rows) => meter.setRows(rows),
    regionsOf: (joint) => meter.pointsOf(joint),
    damageOf: (joint, offset) =>
      (poses.get(joint) ?? []).reduce((sum, { pose }) => {
        const own = offset ? pivoted(meter.skeleton, pose, joint, offset) : pose;
        return sum + (meter.measure(joint, own, false)?.damage ?? 0);
      }, 0),
    damageAt: (joint) => {
      const sums = new Map(
        meter.regionsOf(joint).map(({ part }) => [part, new Float64Array(meter.pointCount(part))]),
      );
      for (const { pose } of poses.get(joint) ?? []) meter.addDamage(joint, pose, sums);
      return sums;
    },
  };
}
