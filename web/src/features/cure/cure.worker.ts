import { bendJudge, BendMeter } from '@judoka/core/analysis/bends';
import type { Clip, MotionRange } from '@judoka/core/animation';
import { costPoses } from '@judoka/core/analysis/costs';
import {
  type CharacterLook,
  type LaidRibbon,
  PartLook,
  type Skinning,
  weightsAlong,
  weightsAlongRibbons,
} from '@judoka/core/deform';
import type { Character } from '@judoka/core/document';
import { messageOf } from '@judoka/core/errors';
import { openCharacterFile, readShapes } from '@judoka/core/formats';
import { findNeighbours } from '@judoka/core/mesh';
import {
  bakeLook,
  type BakeRules,
  type BendJudge,
  type Cure,
  cureBends,
  type CureRequest,
} from '@judoka/core/operations/cure';
import type { Pose } from '@judoka/core/skeleton';
import { apply, type Change, copyRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import type { LookErrors } from '../../document/alternative.ts';

/** A character whose bends are cured, with copies of its weights. */
export interface CuredSubject {
  readonly character: Character;
  readonly ranges: readonly MotionRange[];
  readonly clips: readonly Clip[];
  readonly skinning: Skinning;
}

export interface BakedLook {
  readonly change: Change;
  readonly errors: LookErrors;
}

/** A cure, or why there is none. */
export interface CureAnswer {
  readonly cure?: Cure;
  readonly failure?: string;
}

/** Progress is told at most this often, in milliseconds. */
const REPORT_MS = 80;

function reporter(tell: (share: number) => void): (share: number) => void {
  let told = 0;
  return (share) => {
    if (performance.now() - told < REPORT_MS) return;
    told = performance.now();
    tell(share);
  };
}

let held: (CuredSubject & { readonly judge: BendJudge }) | undefined;

/** 1 for points that ribbons hold. */
const heldPoints = (ribbons: readonly LaidRibbon[], pointCount: number): Uint8Array =>
  Uint8Array.from({ length: pointCount }, (_, p) => (ribbons.some(({ amounts }) => amounts[p] > 0) ? 1 : 0));

type LookAt = (pose: Pose, k: number) => Float32Array;

async function bakeParts(
  character: Character,
  parts: readonly number[],
  poses: readonly Pose[],
  rules: BakeRules,
  tell: (share: number) => void,
  lookOf: (part: number) => Promise<LookAt>,
  { following = [], ribbons = [] }: Pick<CharacterLook, 'following' | 'ribbons'> = {},
): Promise<BakedLook> {
  const report = reporter(tell);
  const change: Change[number][] = [];
  const [squares, count] = [{ before: 0, after: 0, unlimited: 0 }, { points: 0 }];
  let greatest = 0;
  for (const [done, i] of parts.entries()) {
    const {
      positions,
      inverseBinds,
      polygonOffsets: offsets,
      polygonPoints: points,
      pointCount,
    } = character.parts[i];
    const subject = {
      ...{ positions, inverseBinds, skeleton: character.skeleton, rows: character.rows[i] },
      neighbours: findNeighbours({ offsets, points }, pointCount),
      ...(following[i] && { seeds: weightsAlong(character.rows, following, i) }),
      ...(ribbons[i]?.length && {
        seeds: weightsAlongRibbons(character.rows[i], ribbons[i]),
        only: heldPoints(ribbons[i], pointCount),
      }),
    };
    const bake = await bakeLook(i, subject, poses, await lookOf(i), rules, (share) =>
      report((done + share) / parts.length),
    );
    if (bake.delta.points.length > 0) change.push(bake.delta);
    count.points += pointCount;
    squares.before += pointCount * bake.before.rms ** 2;
    squares.after += pointCount * bake.after.rms ** 2;
    squares.unlimited += pointCount * bake.unlimited ** 2;
    greatest = Math.max(greatest, bake.after.greatest);
  }
  const mean = (sum: number): number => Math.sqrt(sum / Math.max(1, count.points));
  const errors = {
    ...{ greatest, before: mean(squares.before), after: mean(squares.after) },
    unlimited: mean(squares.unlimited),
  };
  return { change, errors };
}

const worker = {
  async begin(subject: CuredSubject): Promise<void> {
    const meter = await BendMeter.create(subject.character, subject.skinning);
    held = { ...subject, judge: bendJudge(meter, subject.ranges) };
  },

  async cure(request: CureRequest, tell: (share: number) => void): Promise<CureAnswer> {
    if (!held) throw new Error('The character has not come yet.');
    try {
      return { cure: await cureBends(held.character, held.ranges, held.judge, request, reporter(tell)) };
    } catch (error) {
      return { failure: messageOf(error) };
    }
  },

  /**
   * Plain weights that show a look as nearly as they can, over the range of motion and clips of these names.
   * @param only some parts; all that have weights without
   */
  async bake(
    look: CharacterLook,
    rules: BakeRules,
    names: readonly string[],
    only: readonly number[] | undefined,
    tell: (share: number) => void,
  ): Promise<BakedLook> {
    if (!held) throw new Error('The character has not come yet.');
    const { character, ranges, clips } = held;
    const counted = clips.filter(({ name }) => names.includes(name));
    const poses = costPoses(ranges, counted).map(({ pose }) => pose);
    const skinned = character.parts.flatMap(({ role }, i) => (role === 'skinned' ? [i] : []));
    const lookOf = async (i: number): Promise<LookAt> => {
      const part = await PartLook.create(character, i, look);
      return (pose) => part.at(pose).positions;
    };
    return bakeParts(character, only ?? skinned, poses, rules, tell, lookOf, look);
  },

  /** The same of a file's shapes; or why they are none of this character. */
  async bakeShapes(
    bytes: Uint8Array,
    rules: BakeRules,
    tell: (share: number) => void,
  ): Promise<BakedLook | { readonly failure: string }> {
    if (!held) throw new Error('The character has not come yet.');
    const { character } = held;
    try {
      const shapes = await readShapes(openCharacterFile(bytes), character);
      return await bakeParts(character, shapes.parts, shapes.poses, rules, tell, (i) =>
        Promise.resolve((_pose, k) => shapes.at(i, k)),
      );
    } catch (error) {
      return { failure: messageOf(error) };
    }
  },

  /** The damage of joints' bends with a change of the weights that came. */
  damages(change: Change, joints: readonly number[]): number[] {
    if (!held) throw new Error('The character has not come yet.');
    const rows = held.character.rows.map(copyRows);
    apply(rows, change);
    held.judge.setRows(rows);
    return joints.map((joint) => held?.judge.damageOf(joint) ?? 0);
  },
};

export type CureWorker = typeof worker;
Comlink.expose(worker);
