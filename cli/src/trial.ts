import { DEFAULT_RELAXING, MAX_RELAX_PASSES, SKINNINGS } from '@judoka/core/deform';
import { basename, extname } from 'node:path';
import { angleWords, figureWords } from '@judoka/core/analysis';
import {
  BEND_ORDERS,
  bendingJoints,
  BendMeter,
  rankBends,
  rulerOf,
  worstPose,
  type BendOrder,
  type JointTrial,
  runClip,
  runRange,
  type TrialPose,
} from '@judoka/core/analysis/bends';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { CoreError } from '@judoka/core/errors';
import {
  type Clip,
  frameCount,
  frameSeconds,
  putMotion,
  type RetargetSubject,
  sampleClip,
} from '@judoka/core/animation';
import { readCharacter } from '@judoka/core/formats';
import { rangesOf } from '@judoka/core/analysis/strays';
import type { Character } from '@judoka/core/document';
import { weightedJoints } from '@judoka/core/weights';
import { decoders, openFile } from './files.ts';
import { readMotion } from './motion.ts';
import { numberFrom } from './weights.ts';

export interface TrialOptions {
  json?: boolean;
  clip?: string;
  bvh?: string;
  skinning?: string;
  relaxed?: string;
  order?: string;
}

/** Runs the range of motion, or a clip, and prints the worst pose of each joint. */
export async function trial(file: string, options: TrialOptions): Promise<void> {
  if (options.clip !== undefined && options.bvh !== undefined)
    throw new CoreError('argument-invalid', 'Give either --clip or --bvh, not both.');
  const skinning = SKINNINGS.find((one) => one === (options.skinning ?? 'linear'));
  if (!skinning)
    throw new CoreError(
      'argument-invalid',
      `--skinning is one of: ${SKINNINGS.join(', ')}, not “${options.skinning}”.`,
    );
  const order = BEND_ORDERS.find((one) => one === (options.order ?? 'stretch'));
  if (!order)
    throw new CoreError(
      'argument-invalid',
      `--order is one of: ${BEND_ORDERS.join(', ')}, not “${options.order}”.`,
    );
  const character = await readCharacter(openFile(file), decoders);
  if (!character.parts.some(({ role }) => role === 'skinned'))
    throw new CoreError('argument-invalid', 'No part of this file has weights, so nothing bends.');
  const passes =
    options.relaxed === undefined
      ? 0
      : numberFrom('--relaxed', options.relaxed, 0, 1, MAX_RELAX_PASSES, true);
  const relaxing = passes > 0 ? { ...DEFAULT_RELAXING, passes } : undefined;
  const meter = await BendMeter.create(character, { skinning, relaxing });
  const { pairs } = checkInput(character, {});
  const clip = clipOf(character, pairs, options);
  const trials = clip
    ? runClip(
        meter,
        bendingJoints(meter),
        Array.from({ length: frameCount(clip) }, (_, frame) => {
          const seconds = frameSeconds(clip, frame);
          return { frame, seconds, pose: sampleClip(clip, seconds) };
        }),
      )
    : runRange(meter, rangesOf(character, {}, pairs));
  const ranked = rankBends(trials, order);
  process.stdout.write(
    options.json
      ? `${JSON.stringify(ranked.map((one) => print(one, character, order)))}\n`
      : asText(ranked, character, order),
  );
}

function clipOf(
  character: Character,
  pairs: RetargetSubject['pairs'],
  { clip: name, bvh: path }: TrialOptions,
): Clip | undefined {
  if (name !== undefined) {
    const clip = character.clips.find((one) => one.name === name);
    if (clip) return clip;
    const names = character.clips.map((one) => `“${one.name}”`).join(', ');
    throw new CoreError(
      'argument-invalid',
      `There is no clip “${name}”. ${names ? `The file has ${names}.` : 'The file has none.'}`,
    );
  }
  if (path === undefined) return undefined;
  const { skeleton, rows } = character;
  const subject = { skeleton, pairs, weighted: weightedJoints(rows, skeleton.joints.length) };
  const { clip } = putMotion(subject, readMotion(path), basename(path, extname(path)));
  if (clip) return clip;
  throw new CoreError('argument-invalid', 'None of the motion’s joints is known on this character.');
}

function print(trial: JointTrial, { skeleton, parts, rows }: Character, order: BendOrder) {
  const { joint, poses } = trial;
  const { at, figures } = poses[worstPose(trial, order)];
  const { worst, stretched, noVolume, volume, ...plain } = figures;
  const place = order === 'stretch' ? stretched : worst;
  return {
    joint,
    jointName: skeleton.joints[joint].name,
    poses: poses.length,
    worst: {
      ...('angles' in at ? at.angles : at),
      ...plain,
      volume: volume ?? null,
      ...(noVolume && { noVolume }),
      ...(place && { part: place.part, vertex: parts[place.part].vertexPoint.indexOf(place.point) }),
      ...(stretched && { near: skeleton.joints[rulerOf(skeleton, rows, joint, stretched)].name }),
    },
  };
}

const whenWords = ({ at }: TrialPose): string =>
  'angles' in at ? angleWords(at.angles) : `in frame ${at.frame} (${at.seconds.toFixed(2)} s)`;

function asText(trials: readonly JointTrial[], { skeleton, rows }: Character, order: BendOrder): string {
  if (trials.length === 0) return 'Nothing bends.\n';
  return trials
    .map((trial) => {
      const { joint, poses } = trial;
      const pose = poses[worstPose(trial, order)];
      const { figures } = pose;
      const where =
        figures.stretched && skeleton.joints[rulerOf(skeleton, rows, joint, figures.stretched)].name;
      const words = figureWords(figures, { order, where }).join(', ');
      return `${skeleton.joints[joint].name}, ${whenWords(pose)}: ${words} (damage ${figures.damage.toPrecision(2)}).\n`;
    })
    .join('');
}
