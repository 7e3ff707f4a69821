import type { Pose } from '../../skeleton/pose.ts';
import type { BendMeter } from './bendMeter.ts';
import type { BendFigures } from './bendFigures.ts';
import { rangePoses, type Angles, type MotionRange } from '../../animation/motionRange.ts';

/** A pose that was measured, and what it is. */
export interface TrialPose {
  /** Angles of the joint's range, or the time in seconds of a clip. */
  readonly at: { readonly angles: Angles } | { readonly seconds: number; readonly frame: number };
  readonly figures: BendFigures;
}

/** All poses of one joint, in order; `worst` is the number of the one with most damage. */
export interface JointTrial {
  readonly joint: number;
  readonly poses: readonly TrialPose[];
  readonly worst: number;
}

export type Watch = (share: number) => void;

/**
 * Runs the range of motion: every joint through its own poses, alone. Joints that deform nothing, or have no range, are
 * left out. Worst first.
 *
 * @param watch told how far the work is; may throw to end it
 */
export function runRange(
  meter: BendMeter,
  ranges: readonly MotionRange[],
  watch: Watch = () => undefined,
): JointTrial[] {
  const trials: JointTrial[] = [];
  ranges.forEach((range, i) => {
    watch(i / ranges.length);
    const poses = rangePoses(range).flatMap(({ joint, angles, pose }): TrialPose[] => {
      const figures = meter.measure(joint, pose);
      return figures ? [{ at: { angles }, figures }] : [];
    });
    if (poses.length > 0) trials.push(trialOf(range.joint, poses));
  });
  return byDamage(trials);
}

/** A pose of a clip. */
export interface ClipPose {
  readonly seconds: number;
  readonly frame: number;
  readonly pose: Pose;
}

/**
 * Measures every joint's bend in every pose of a clip: all frames are looked at, so that the worst one is the worst of
 * all. Crossings are counted in the worst frames. Worst first.
 */
export function runClip(
  meter: BendMeter,
  joints: readonly number[],
  poses: readonly ClipPose[],
  watch: Watch = () => undefined,
): JointTrial[] {
  const found = new Map<number, TrialPose[]>();
  poses.forEach(({ seconds, frame, pose }, i) => {
    watch(i / poses.length);
    for (const [joint, figures] of meter.measureAll(joints, pose)) {
      const list = found.get(joint) ?? [];
      list.push({ at: { seconds, frame }, figures });
      found.set(joint, list);
    }
  });
  const trials = [...found].map(([joint, list]) => trialOf(joint, list));
  for (const { joint, poses: list, worst } of trials) {
    const { pose } = poses[worst];
    const figures = meter.measureAll([joint], pose, true).get(joint);
    if (figures) (list as TrialPose[])[worst] = { ...list[worst], figures };
  }
  return byDamage(trials);
}

/** What is kept of a joint's poses: which is the worst (of equals the first). */
export function trialOf(joint: number, poses: readonly TrialPose[]): JointTrial {
  let worst = 0;
  poses.forEach(({ figures }, i) => {
    if (figures.damage > poses[worst].figures.damage) worst = i;
  });
  return { joint, poses, worst };
}

export const byDamage = (trials: readonly JointTrial[]): JointTrial[] =>
  [...trials].sort(
    (a, b) => b.poses[b.worst].figures.damage - a.poses[a.worst].figures.damage || a.joint - b.joint,
  );

/** Joints that deform something: those whose bends a clip is measured for. */
export function bendingJoints(meter: BendMeter): number[] {
  return meter.skeleton.joints.flatMap(({ removed }, joint) =>
    !removed && meter.bends(joint) ? [joint] : [],
  );
}
