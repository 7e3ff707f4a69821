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

/** All poses of one joint, in order. */
export interface JointTrial {
  readonly joint: number;
  readonly poses: readonly TrialPose[];
}

/**
 * How bends are ranked: by how bad they look, which is how far the surface is stretched at its worst place, or by how much
 * of it is hurt.
 */
export const BEND_ORDERS = ['stretch', 'damage'] as const;
export type BendOrder = (typeof BEND_ORDERS)[number];

/** The number of a joint's worst pose; of equals the first. */
export function worstPose({ poses }: JointTrial, order: BendOrder): number {
  let worst = 0;
  poses.forEach(({ figures }, i) => {
    if (figures[order] > poses[worst].figures[order]) worst = i;
  });
  return worst;
}

/** The numbers of a joint's worst poses, by either order. */
const worstOf = (trial: JointTrial): Set<number> =>
  new Set(BEND_ORDERS.map((order) => worstPose(trial, order)));

/** The figures of a joint's worst pose. */
export const worstFigures = (trial: JointTrial, order: BendOrder): BendFigures =>
  trial.poses[worstPose(trial, order)].figures;

/** The worst first; of equals the joint with the lower number. */
export const rankBends = (trials: readonly JointTrial[], order: BendOrder): JointTrial[] =>
  [...trials].sort(
    (a, b) => worstFigures(b, order)[order] - worstFigures(a, order)[order] || a.joint - b.joint,
  );

export type Watch = (share: number) => void;

/**
 * Runs the range of motion: every joint through its own poses, alone. Joints that deform nothing, or have no range, are
 * left out. In the order of the ranges.
 *
 * @param watch     told how far the work is; may throw to end it
 * @param crossings in which poses they are counted: all, or the worst one of each joint by an order
 */
export function runRange(
  meter: BendMeter,
  ranges: readonly MotionRange[],
  watch: Watch = () => undefined,
  { crossings = 'all' }: { readonly crossings?: 'all' | BendOrder } = {},
): JointTrial[] {
  const trials: JointTrial[] = [];
  ranges.forEach((range, i) => {
    watch(i / ranges.length);
    const bends = rangePoses(range);
    const poses = bends.flatMap(({ joint, angles, pose }): TrialPose[] => {
      const figures = meter.measure(joint, pose, crossings === 'all');
      return figures ? [{ at: { angles }, figures }] : [];
    });
    if (poses.length === 0) return;
    const trial = { joint: range.joint, poses };
    if (crossings !== 'all') {
      const worst = worstPose(trial, crossings);
      const figures = meter.measure(range.joint, bends[worst].pose);
      if (figures) poses[worst] = { ...poses[worst], figures };
    }
    trials.push(trial);
  });
  return trials;
}

/** A pose of a clip. */
export interface ClipPose {
  readonly seconds: number;
  readonly frame: number;
  readonly pose: Pose;
}

/**
 * Measures every joint's bend in every pose of a clip: all frames are looked at, so that the worst one is the worst of
 * all. Crossings are counted in the worst frames.
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
  const trials = [...found].map(([joint, list]) => ({ joint, poses: list }));
  for (const trial of trials) {
    for (const worst of worstOf(trial)) {
      const figures = meter.measureAll([trial.joint], poses[worst].pose, true).get(trial.joint);
      if (figures) trial.poses[worst] = { ...trial.poses[worst], figures };
    }
  }
  return trials;
}

/** Joints that deform something: those whose bends a clip is measured for. */
export function bendingJoints(meter: BendMeter): number[] {
  return meter.skeleton.joints.flatMap(({ removed }, joint) =>
    !removed && meter.bends(joint) ? [joint] : [],
  );
}
