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
import { type Change, countUnweighted } from '@judoka/core/weights';
import { OLD } from '../../document/alternative.ts';
import { MAX_PICTURES, STRIP_STEPS, type StripPicture } from '../../scene/BendStrip.ts';
import type { StripSource } from '../../settings/uiSettings.ts';

/** Why there is nothing to show but rest. */
export const SOURCE_EMPTY: Readonly<Record<Exclude<StripSource, 'axis' | 'proposed'>, string>> = {
  range: 'It has no range of its own: even turns',
  kept: 'No pose is kept yet',
  worst: 'No clip is measured yet',
};

/** So many pictures at least show a range, and so many at most: each has to be large enough to judge a bend. */
const FEWEST = 5;
const MOST = 7;

/** One picture at rest, where a source has nothing. */
export const NOTHING_TO_SHOW: readonly StripPicture[] = [{ label: 'rest', pose: {} }];

/** What is shown: with nothing proposed, bends of what is there. */
export const sourceShown = ({ document }: Workspace, source: StripSource): StripSource =>
  source === 'proposed' && !document.proposals.current ? 'range' : source;

/** The pictures of the bend strip. */
export function stripPictures(
  at: Workspace,
  wanted: StripSource,
  axis: Axis,
  step: number,
): readonly StripPicture[] {
  const source = sourceShown(at, wanted);
  if (source === 'proposed') return proposedPictures(at, axis, step);
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
  return found.length > 0 ? found.slice(0, MOST) : NOTHING_TO_SHOW;

  function worstFrames(): StripPicture[] {
    const result = trial.clip;
    const { current } = clips;
    const own = result?.trials.find((one) => one.joint === joint);
    if (!own || !current || result?.clip !== clips.choice?.key) return [];
    // Frames next to a worse one look the same.
    const frames: number[] = [];
    const gap = Math.max(1, Math.round(current.rate / 4));
    for (const { at } of [...own.poses].sort((a, b) => b.figures.damage - a.figures.damage)) {
      if (frames.length === MOST) break;
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

/** What a picture of what is proposed shows. */
export interface ProposedPicture extends StripPicture {
  readonly name: string;
  /** Number of the alternative; OLD for the weights as they were. */
  readonly index: number;
}

/** All that is proposed, and the old weights if there are some, in the widest bends of the joint. */
function proposedPictures(at: Workspace, axis: Axis, step: number): ProposedPicture[] {
  const { current } = at.document.proposals;
  if (!current) return [];
  const ranged = rangePictures(at);
  const bends = widest(ranged.length > 0 ? ranged : stripPictures(at, 'axis', axis, step));
  const old = current.alternatives.some(({ change }) => replacesWeights(change)) ? [OLD] : [];
  const shown = [...old, ...current.alternatives.keys()];
  const weights = new Map(shown.map((index) => [index, at.document.proposals.changeTo(index)]));
  const name = (index: number): string => (index === OLD ? 'Old' : current.alternatives[index].name);
  return bends
    .slice(0, Math.max(1, Math.floor(MAX_PICTURES / shown.length)))
    .flatMap(({ label, pose }) =>
      shown.map((index) => ({ label, name: name(index), pose, index, weights: weights.get(index) })),
    );
}

/** The widest turn first, then always the one that is least like those before it. */
function widest(pictures: readonly StripPicture[]): StripPicture[] {
  const left = [...pictures];
  const chosen: StripPicture[] = [{ label: 'rest', pose: {} }];
  while (left.length > 0) {
    const apart = left.map((each) => Math.min(...chosen.map((other) => turnBetween(each.pose, other.pose))));
    chosen.push(...left.splice(apart.indexOf(Math.max(...apart)), 1));
  }
  return chosen.slice(1);
}

/** How far the joints of two poses are turned from each other, in radians. */
function turnBetween(a: Pose, b: Pose): number {
  let most = 0;
  for (const key of new Set([...Object.keys(a), ...Object.keys(b)])) {
    const [p, q] = [a, b].map((pose) => (pose[Number(key)] ?? REST_JOINT).rotation);
    const cosine = Math.abs(p.reduce((sum, x, k) => sum + x * q[k], 0));
    most = Math.max(most, 2 * Math.acos(Math.min(1, cosine)));
  }
  return most;
}

const replacesWeights = (change: Change): boolean =>
  change.some(({ before }) => countUnweighted(before) < before.pointCount);

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
