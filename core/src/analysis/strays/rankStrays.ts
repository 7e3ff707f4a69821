import { checkInput } from '../checkUp/checkUp.ts';
import type { Character } from '../../document/character.ts';
import { markAncestors, restPlaces } from '../../skeleton/skeleton.ts';
import { OTHERS } from '../../weights/influence.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { weightedJoints } from '../../weights/weightedJoints.ts';
import { findStrays } from './findStrays.ts';
import type { Stray } from '../../document/stray.ts';
import { findMotionRanges, type Limits, type MotionRange } from '../../animation/motionRange.ts';
import { removeStrays } from '../../operations/repair/removeStrays.ts';
import { strayMovements, type StrayMovement } from './strayMovement.ts';

/** A stray, and how far it moves the surface over the range of motion. */
export interface RankedStray extends Stray, StrayMovement {}

export interface StrayQuestion {
  /** The weights; the character's own where they are missing. */
  readonly rows?: readonly WeightRows[];
  readonly nonDeforming?: ReadonlySet<number>;
  readonly limits?: Readonly<Record<number, Limits>>;
}

/** The ranges of a character's joints, as weights say what moves. */
export function rangesOf(
  character: Pick<Character, 'parts' | 'skeleton' | 'rows' | 'drawing'>,
  { rows = character.rows, limits }: StrayQuestion,
  pairs: Parameters<typeof findMotionRanges>[2],
): MotionRange[] {
  const { skeleton } = character;
  const moves = movingJoints(character, rows);
  const isFlat = character.drawing !== undefined;
  return findMotionRanges(
    skeleton,
    restPlaces(skeleton),
    pairs,
    (joint) => moves[joint] === 1,
    limits,
    isFlat,
  );
}

/** Uint8Array, jointCount: 1 where the joint or one below it has weight. */
export function movingJoints(
  { skeleton }: Pick<Character, 'skeleton'>,
  rows: readonly WeightRows[],
): Uint8Array {
  const moves = weightedJoints(rows, skeleton.joints.length);
  markAncestors(skeleton, moves);
  return moves;
}

/** The strays of a character, those that move the surface most first; twins, which may be meant, behind the others. */
export function rankStrays(character: Character, question: StrayQuestion = {}): RankedStray[] {
  const input = checkInput(character, { rows: question.rows, nonDeforming: question.nonDeforming });
  const strays = findStrays(input);
  if (strays.length === 0) return [];
  const { parts, skeleton } = character;
  const locks = new Uint8Array(skeleton.joints.length);
  const limit = Math.max(...input.rows.map(({ stride }) => stride));
  const { change } = removeStrays(parts, input.rows, strays, { receiver: OTHERS, locks, limit });
  const subject = { parts, skeleton, rows: input.rows };
  const movements = strayMovements(subject, strays, change, rangesOf(character, question, input.pairs));
  return strays
    .map((stray, i) => ({ ...stray, ...movements[i] }))
    .sort((a, b) => Number(a.twin) - Number(b.twin) || b.movement - a.movement || a.part - b.part);
}
