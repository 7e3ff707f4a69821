import { readFileSync, statSync } from 'node:fs';
import { basename, extname } from 'node:path';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { frameCount, putMotion, type PutMotion } from '@judoka/core/animation';
import type { Character } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { exportCharacter, MAX_BVH_BYTES, readBvh, readCharacter } from '@judoka/core/formats';
import { liveJoints } from '@judoka/core/skeleton';
import { weightedJoints } from '@judoka/core/weights';
import { decoders, openFile, writeFile } from './files.ts';
import { checkOutput } from './output.ts';

export interface MotionOptions {
  map?: string;
  inPlace?: boolean;
  json?: boolean;
}

/** Puts a .bvh motion onto a character, and writes the character with it as a clip. */
export async function motion(
  file: string,
  motionFile: string,
  output: string,
  { map, inPlace = false, json = false }: MotionOptions,
): Promise<void> {
  checkOutput(output);
  const container = openFile(file);
  const character = await readCharacter(container, decoders);
  const bvh = readMotion(motionFile);
  const { skeleton, rows } = character;
  const { pairs } = checkInput(character, {});
  const names = bvh.joints.map(({ name }) => name);
  const follows = map === undefined ? {} : readTable(map, character, names);
  const subject = { skeleton, pairs, weighted: weightedJoints(rows, skeleton.joints.length) };
  const put = putMotion(subject, bvh, basename(motionFile, extname(motionFile)), { follows, inPlace });
  if (!put.clip)
    throw new CoreError(
      'argument-invalid',
      'None of the motion’s joints is known on this character. Say with --map which follows which.',
    );
  writeFile(output, exportCharacter(container, character, rows, { clips: [put.clip] }));
  process.stdout.write(json ? `${JSON.stringify(print(put, character))}\n` : asText(put, character));
}

/** @throws CoreError if the file is no motion, or too large */
export function readMotion(path: string) {
  if (statSync(path).size > MAX_BVH_BYTES)
    throw new CoreError('file-too-large', 'This motion is larger than 64 MB.');
  return readBvh(readFileSync(path, 'utf8'));
}

/** A line a joint: its name, and that of the motion's joint that it follows; nothing there for none. */
function readTable(path: string, { skeleton }: Character, names: readonly string[]): Record<number, number> {
  const follows: Record<number, number> = {};
  readFileSync(path, 'utf8')
    .replace(/^\uFEFF/, '')
    .split(/\r?\n/)
    .forEach((line, i) => {
      if (line.trim() === '') return;
      const [own, theirs = ''] = line.split(/[,;\t]/).map((cell) => cell.trim().replace(/^"(.*)"$/, '$1'));
      const joint = liveJoints(skeleton).find((each) => skeleton.joints[each].name === own);
      const from = theirs === '' ? -1 : names.indexOf(theirs);
      // The first line may say what the columns are.
      if (i === 0 && joint === undefined && from < 0) return;
      const place = `Line ${i + 1} of “${basename(path)}”`;
      if (joint === undefined)
        throw new CoreError(
          'argument-invalid',
          `${place} names “${own}”, which is no joint of this character.`,
        );
      if (from < 0 && theirs !== '')
        throw new CoreError(
          'argument-invalid',
          `${place} names “${theirs}”, which is no joint of this motion.`,
        );
      follows[joint] = from;
    });
  return follows;
}

function print({ map, names, clip }: PutMotion, { skeleton }: Character) {
  return {
    name: clip?.name,
    seconds: clip?.seconds,
    frames: clip && frameCount(clip),
    follows: Object.fromEntries(
      liveJoints(skeleton).map((joint) => [skeleton.joints[joint].name, names[map[joint]] ?? null]),
    ),
  };
}

function asText({ map, clip }: PutMotion, { skeleton }: Character): string {
  const live = liveJoints(skeleton);
  const followed = live.filter((joint) => map[joint] >= 0).length;
  return `“${clip?.name}”: ${followed} of ${live.length} joints follow, ${clip ? frameCount(clip) : 0} frames.\n`;
}
