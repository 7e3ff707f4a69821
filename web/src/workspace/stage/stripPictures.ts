import type { Workspace } from '../Workspace.ts';
import { angleWords } from '@judoka/core/analysis';
import {
  rangePoses,
  sampleClip,
  STILL_ANGLES,
  turnedBy,
  type Angles,
  type MotionRange,
} from '@judoka/core/animation';
import { type Axis, type Pose, REST_JOINT, turned, withJoint } from '@judoka/core/skeleton';
import { MAX_PICTURES, STRIP_STEPS, type StripPicture } from '../../scene/BendStrip.ts';
import type { StripSource } from '../../settings/uiSettings.ts';

/** Why there is nothing to show but rest. */
export const SOURCE_EMPTY: Readonly<Record<Exclude<StripSource, 'axis'>, string>> = {
  range: 'It has no range of its own: even turns',
  kept: 'No pose is kept yet',
  worst: 'No clip is measured yet',
};

/** So many pictures at least show a range. */
const FEWEST = 5;

/** One picture at rest, where a source has nothing. */
export const NOTHING_TO_SHOW: readonly StripPicture[] = [{ label: 'rest', pose: {} }];

/** The pictures of the bend strip. */
export function stripPictures(
  at: Workspace,
  source: StripSource,
  axis: Axis,
  step: number,
): readonly StripPicture[] {
  const {
    scene: { joint },
    trial,
    document: { saved: kept },
    clips,
  } = at;
  const evenTurns = (): StripPicture[] =>
    STRIP_STEPS.map((by) => ({
      label: `${by * step}°`,
      pose: joint < 0 ? {} : { [joint]: turned(REST_JOINT, axis, by * step) },
    }));
  const ranged = source === 'range' ? rangePictures(at) : [];
  const found =
    source === 'axis' || (source === 'range' && joint >= 0 && ranged.length === 0)
      ? evenTurns()
      : source === 'range'
        ? ranged
        : source === 'kept'
          ? kept.poses.map(({ name, joints }) => ({ label: name, pose: at.document.knownJoints(joints) }))
          : worstFrames();
  return found.length > 0 ? found.slice(0, MAX_PICTURES) : NOTHING_TO_SHOW;

  function worstFrames(): StripPicture[] {
    const result = trial.clip;
    const { current } = clips;
    const own = result?.trials.find((one) => one.joint === joint);
    if (!own || !current || result?.clip !== clips.choice?.key) return [];
    // Frames next to a worse one look the same.
    const frames: number[] = [];
    const gap = Math.max(1, Math.round(current.rate / 4));
    for (const { at } of [...own.poses].sort((a, b) => b.figures.damage - a.figures.damage)) {
      if (frames.length === MAX_PICTURES) break;
      if ('frame' in at && frames.every((frame) => Math.abs(frame - at.frame) >= gap)) frames.push(at.frame);
    }
    return frames
      .sort((a, b) => a - b)
      .map((frame) => ({
        label: `frame ${frame}`,
        pose: at.document.knownJoints(sampleClip(current, frame / current.rate)),
      }));
  }
}

function rangePictures({ trial, scene: { joint } }: Workspace): StripPicture[] {
  const range = joint < 0 ? undefined : trial.rangeOf(joint);
  if (!range) return [];
  const poses = rangePoses(range);
  // A hinge has few poses that are measured.
  const shown = poses.length < FEWEST ? hingeSteps(range) : poses.map(({ angles }) => angles);
  return shown.map((angles) => ({
    label: angleWords(angles),
    pose: { [joint]: turnedBy(range, angles) },
  }));
}

/** Even steps through the widest turn, from one end to the other. */
function hingeSteps({ limits: { bend, side, twist } }: MotionRange): Angles[] {
  const [turn, [least, most]] = (
    [
      ['bend', bend],
      ['side', side],
      ['twist', twist],
    ] as const
  ).reduce((widest, each) => (each[1][1] - each[1][0] > widest[1][1] - widest[1][0] ? each : widest));
  const steps = Array.from({ length: FEWEST }, (_, i) =>
    Math.round(least + ((most - least) * i) / (FEWEST - 1)),
  );
  // Rest is among them: the step that is nearest to it.
  const size = steps.map(Math.abs);
  steps[size.indexOf(Math.min(...size))] = 0;
  return steps.map((angle) => ({ ...STILL_ANGLES, [turn]: angle }));
}

/** What the stage takes from a picture: turns of the joint go into the pose at hand, whole poses stand for it. */
export function strippedPose(
  { scene: { pose, joint } }: Workspace,
  source: StripSource,
  picture: Pose,
): Pose {
  if (source === 'kept' || source === 'worst') return picture;
  return withJoint(pose, joint, picture[joint] ?? REST_JOINT);
}

/** Whether two poses turn a joint alike. */
export function samePose(a: Pose, b: Pose, joint: number): boolean {
  const [p, q] = [a, b].map((pose) => (pose[joint] ?? REST_JOINT).rotation);
  return p.every((x, k) => Math.abs(x - q[k]) < 1e-4);
}
