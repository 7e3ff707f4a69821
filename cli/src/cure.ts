import { bendJudge, BendMeter } from '@judoka/core/analysis/bends';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { rangesOf } from '@judoka/core/analysis/strays';
import { type Character, counted } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { exportCharacter, readCharacter } from '@judoka/core/formats';
import { type Cure, cureBends } from '@judoka/core/operations/cure';
import { apply, copyRows, countPoints, type WeightRows } from '@judoka/core/weights';
import { type Damage, damageLines } from './damages.ts';
import { decoders, openFile, writeFile } from './files.ts';
import { jointsNamed } from './named.ts';
import { numberFrom, type WeightOptions } from './weights.ts';

/** Cures the bends of all joints, or of some; `rows` are changed in place. */
export async function cureStep(
  character: Character,
  rows: readonly WeightRows[],
  options: WeightOptions,
): Promise<Cure> {
  const limit = numberFrom('--max-influences', options.maxInfluences, 4, 1, 64, true);
  if (!character.parts.some(({ role }) => role === 'skinned'))
    throw new CoreError('argument-invalid', 'No part of this file has weights.');
  const locks = new Uint8Array(character.skeleton.joints.length);
  for (const joint of jointsNamed(character, '--lock', options.lock) ?? []) locks[joint] = 1;
  const subject = { ...character, rows };
  const { pairs } = checkInput(character, { rows });
  const ranges = rangesOf(subject, { rows }, pairs);
  const joints =
    jointsNamed(character, '--joints', options.joints) ??
    ranges.filter(({ kind }) => kind !== 'fixed').map(({ joint }) => joint);
  const judge = bendJudge(await BendMeter.create(subject), ranges);
  const cure = await cureBends(subject, ranges, judge, { joints, limit, locks });
  apply(rows, cure.change);
  return cure;
}

export async function cure(input: string, output: string, options: WeightOptions): Promise<void> {
  const container = openFile(input);
  const character = await readCharacter(container, decoders);
  const rows = character.rows.map(copyRows);
  const done = await cureStep(character, rows, options);
  writeFile(output, exportCharacter(container, character, rows));
  const points = countPoints(done.change);
  const joints = done.joints.map(({ joint, before, after }): Damage => ({
    joint: character.skeleton.joints[joint].name,
    before,
    after,
  }));
  const lacks = done.lacks.map(({ joint, place, rings }) => ({
    joint: character.skeleton.joints[joint].name,
    ...(place && { moved: place.offset, leaves: place.leaves }),
    ...(rings && { ringEvery: rings.every, thickness: 2 * rings.radius }),
  }));
  process.stdout.write(
    options.json
      ? `${JSON.stringify({ points, joints, lacks })}\n`
      : asText(points, joints) + lacks.map(lackText).join(''),
  );
}

/** What weights do not cure. */
interface Lack {
  readonly joint: string;
  /** Where the joint should be, from where it is, scene units; and what damage would be left then, as a share. */
  readonly moved?: readonly number[];
  readonly leaves?: number;
  readonly ringEvery?: number;
  readonly thickness?: number;
}

function lackText({ joint, moved, leaves = 1, ringEvery, thickness = 0 }: Lack): string {
  const lines: string[] = [];
  if (moved)
    lines.push(
      `${joint} would bend better elsewhere: moved by ${moved.map((x) => x.toPrecision(3)).join(', ')} it would leave ${Math.round(100 * (1 - leaves))}% less of the damage.`,
    );
  if (ringEvery !== undefined)
    lines.push(
      `The mesh has a ring every ${ringEvery.toPrecision(2)} about ${joint}, where it is ${thickness.toPrecision(2)} thick: it bends only where it has points.`,
    );
  return lines.map((line) => `${line}\n`).join('');
}

function asText(points: number, joints: readonly Damage[]): string {
  return `${points === 0 ? 'Nothing to change.' : `${counted(points, 'point')} changed. Damage of bends, over the range:`}\n${damageLines(joints)}`;
}
