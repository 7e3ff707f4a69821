import type { Blemish } from '../../document/blemish.ts';
import type { Character } from '../../document/character.ts';
import type { Skinning } from '../../deform/deformer.ts';
import type { Limits } from '../../animation/motionRange.ts';
import { BendMeter } from '../bends/bendMeter.ts';
import { findLopsided } from '../bends/lopsided.ts';
import { runRange, type JointTrial } from '../bends/trial.ts';
import { checkInput } from '../checkUp/checkUp.ts';
import { rangesOf } from '../strays/rankStrays.ts';
import { findBlemishes } from './findBlemishes.ts';
import { findUnevenJoints } from './findUnevenJoints.ts';

/** What is wrong with how weights run, and bends that are worse for it than on the other side, worst first. */
export interface FoundBlemishes {
  readonly blemishes: readonly Blemish[];
  readonly sides: readonly JointTrial[];
}

export interface BlemishQuestion {
  readonly nonDeforming: ReadonlySet<number>;
  readonly limits: Readonly<Record<number, Limits>>;
  readonly skinning: Skinning;
  /** The joints' pairs; as names and places tell where they are missing. */
  readonly pairs?: Parameters<typeof rangesOf>[2];
}

/** A character that has no two sides alike is not measured whole every time. */
const MOST_UNEVEN = 12;

/** Looks over how a character's weights run, and bends those joints whose weights are not those of their partners. */
export async function lookForBlemishes(
  character: Character,
  { nonDeforming, limits, skinning, pairs }: BlemishQuestion,
): Promise<FoundBlemishes> {
  const input = checkInput(character, { nonDeforming });
  const uneven = new Set(findUnevenJoints(input).slice(0, MOST_UNEVEN));
  const known = pairs ?? input.pairs;
  const ranges = rangesOf(character, { limits }, known).filter(({ joint }) => uneven.has(joint));
  const trials = ranges.length > 0 ? runRange(await BendMeter.create(character, skinning), ranges) : [];
  const sides = findLopsided(trials, known.partner).flatMap((joint) =>
    trials.filter((trial) => trial.joint === joint),
  );
  return { blemishes: findBlemishes(input), sides };
}
