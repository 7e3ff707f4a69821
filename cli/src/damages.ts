import { bendJudge, BendMeter } from '@judoka/core/analysis/bends';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { rangesOf } from '@judoka/core/analysis/strays';
import type { Character } from '@judoka/core/document';
import type { WeightRows } from '@judoka/core/weights';

/** A joint's damage over its range, before and after. */
export interface Damage {
  readonly joint: string;
  readonly before: number;
  readonly after: number;
}

/** The damage of all joints' bends over their ranges, as the file's own weights tell them. */
export async function bendsOf(
  character: Character,
  rows: readonly WeightRows[],
): Promise<{ joint: string; damage: number }[]> {
  const { pairs } = checkInput(character, { rows: character.rows });
  const ranges = rangesOf(character, { rows: character.rows }, pairs);
  const judge = bendJudge(await BendMeter.create({ ...character, rows }), ranges);
  return ranges.map(({ joint }) => ({
    joint: character.skeleton.joints[joint].name,
    damage: judge.damageOf(joint),
  }));
}

/** A line a joint, the worst first. */
export function damageLines(joints: readonly Damage[]): string {
  const width = joints.reduce((most, { joint }) => Math.max(most, joint.length), 0);
  return [...joints]
    .sort((a, b) => b.before - a.before)
    .map(({ joint, before, after }) => `${joint.padEnd(width)}  ${before.toFixed(3)} → ${after.toFixed(3)}\n`)
    .join('');
}
