import { type CharacterLook, PartLook } from '@judoka/core/deform';
import {
  bendingJoints,
  BendMeter,
  createBendMesh,
  type JointTrial,
  runClip,
  runRange,
} from '@judoka/core/analysis/bends';
import { type Crossing, CrossingFinder } from '@judoka/core/analysis/crossings';
import { findNeighbours } from '@judoka/core/mesh';
import {
  type Bvh,
  type Clip,
  frameSeconds,
  type Limits,
  type MotionRange,
  putMotion,
  type RetargetSubject,
  sampleClip,
  shelfMotion,
} from '@judoka/core/animation';
import { type FoundBlemishes, lookForBlemishes } from '@judoka/core/analysis/blemishes';
import { type RankedStray, rankStrays } from '@judoka/core/analysis/strays';
import { readBvh } from '@judoka/core/formats';
import { type Character, type CharacterPart, skinPart } from '@judoka/core/document';
import type { JointPairs, Pose, Skeleton } from '@judoka/core/skeleton';
import type { WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import { messageOf } from '@judoka/core/errors';

/** The character as it is now; `rows` are copies. */
export interface TrialQuestion {
  readonly rows: readonly WeightRows[];
  readonly skeleton: Skeleton;
  /** What binds each part, and whether it has weights. */
  readonly parts: readonly Pick<CharacterPart, 'inverseBinds' | 'role'>[];
  readonly look: CharacterLook;
  readonly nonDeforming: readonly number[];
  readonly limits: Readonly<Record<number, Limits>>;
  readonly pairs: JointPairs;
}

export type MotionSource = { readonly shelf: string } | { readonly text: string };

/** A motion on the character, and who follows whom. */
export interface MappedMotion {
  readonly clip: Clip;
  /** Joint of the character → joint of the motion, -1 for none; and the motion's joints by name. */
  readonly map: readonly number[];
  readonly names: readonly string[];
}

/** Reports at most this often, in milliseconds: every report is a message to the page. */
const REPORT_MS = 80;

let base: Character | undefined;

function characterOf({ rows, skeleton, parts: held }: TrialQuestion): Character {
  if (!base) throw new Error('Trial was asked before it was given a character.');
  const parts = base.parts.map((part, i) => ({ ...part, ...held[i] }));
  return { ...base, skeleton, parts, rows };
}

function reporter(tell: (share: number) => void): (share: number) => void {
  let told = 0;
  return (share) => {
    const now = performance.now();
    if (now - told < REPORT_MS) return;
    told = now;
    tell(share);
  };
}

const meterOf = (question: TrialQuestion): Promise<BendMeter> =>
  BendMeter.create(characterOf(question), question.look);

const readMotion = (source: MotionSource): Bvh =>
  'shelf' in source ? shelfMotion(source.shelf) : readBvh(source.text);

const runner = {
  begin(character: Character): void {
    base = character;
  },
  /** The ranges' joints through their poses. */
  async range(
    question: TrialQuestion,
    ranges: readonly MotionRange[],
    tell?: (share: number) => void,
  ): Promise<JointTrial[]> {
    return runRange(await meterOf(question), ranges, tell && reporter(tell));
  },
  /** Some frames of a clip, by their numbers. */
  async clip(
    question: TrialQuestion,
    clip: Clip,
    frames: readonly number[],
    tell: (share: number) => void,
  ): Promise<JointTrial[]> {
    const meter = await meterOf(question);
    const poses = frames.map((frame) => {
      const seconds = frameSeconds(clip, frame);
      return { frame, seconds, pose: sampleClip(clip, seconds) };
    });
    return runClip(meter, bendingJoints(meter), poses, reporter(tell));
  },
  strays(question: TrialQuestion): RankedStray[] {
    const { nonDeforming, limits } = question;
    return rankStrays(characterOf(question), { nonDeforming: new Set(nonDeforming), limits });
  },
  /** Where weights run badly, and what bends of sides that are painted unlike come to. */
  blemishes(question: TrialQuestion): Promise<FoundBlemishes> {
    const { nonDeforming, limits, pairs, look } = question;
    const { skinning } = look;
    const asked = { nonDeforming: new Set(nonDeforming), limits, pairs, skinning };
    return lookForBlemishes(characterOf(question), asked);
  },
  /** How two parts cross in poses, as they are shown. */
  async crossings(
    question: TrialQuestion,
    pair: readonly [number, number],
    poses: readonly Pose[],
  ): Promise<Crossing[]> {
    const character = characterOf(question);
    const meshes = pair.map((part) => {
      const { polygonOffsets, polygonPoints, pointCount, triangles } = character.parts[part];
      const neighbours = findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount);
      const { positions, normals } = skinPart(character, part, {}, true);
      return createBendMesh(triangles, neighbours, positions, normals);
    });
    const finder = new CrossingFinder(meshes[0], meshes[1]);
    const [one, other] = await Promise.all(
      pair.map((part) => PartLook.create(character, part, question.look)),
    );
    return poses.map((pose) => finder.find([one.at(pose).positions, other.at(pose).positions]));
  },
  /** @throws CoreError if the motion cannot be read or fits nothing */
  motion(
    subject: RetargetSubject,
    source: MotionSource,
    name: string,
    { follows, inPlace }: { follows: Readonly<Record<string, number>>; inPlace?: boolean },
  ): { ok: true; motion: MappedMotion } | { ok: false; message: string } {
    try {
      const { clip, map, names } = putMotion(subject, readMotion(source), name, { follows, inPlace });
      const nothing: Clip = { name, seconds: 0, rate: 30, tracks: [] };
      return { ok: true, motion: { clip: clip ?? nothing, map: [...map], names } };
    } catch (error) {
      return { ok: false, message: messageOf(error) };
    }
  },
};
export type TrialRunner = typeof runner;
Comlink.expose(runner);
