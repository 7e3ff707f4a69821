import { readFileSync } from 'node:fs';
import { apply, copyRows } from '@judoka/core/weights';
import type { Character } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { exportCharacter, readCharacter } from '@judoka/core/formats';
import {
  DEFAULT_ANGLE,
  DEFAULT_DISTANCE,
  prepareTransfer,
  readSource,
  transferWeights,
} from '@judoka/core/operations/transfer';
import { z } from 'zod';
import { decoders, openFile, writeFile } from './files.ts';
import { readJointTable } from './jointTable.ts';
import { jointsNamed, partsNamed } from './named.ts';

export interface TransferOptions {
  joints?: string;
  selection?: string;
  parts?: string;
  lock?: string;
  distance?: string;
  angle?: string;
  maxInfluences?: string;
  json?: boolean;
}

/** Gives a file the weights of another one, or of a part of it. */
export async function transfer(
  from: string,
  into: string,
  output: string,
  options: TransferOptions,
): Promise<void> {
  const giver = await readCharacter(openFile(from), decoders);
  const container = openFile(into);
  const character = await readCharacter(container, decoders);
  const source = readSource(giver, giver.rows, partsNamed(giver, '--parts', options.parts));
  const given =
    options.joints === undefined
      ? undefined
      : readJointTable(options.joints, giver.skeleton, character.skeleton);
  const prepared = prepareTransfer(source, character, given);
  const joints = new Int32Array(giver.skeleton.joints.length).fill(-1);
  for (const { source: joint, target } of prepared.joints) joints[joint] = target;
  const locks = new Uint8Array(character.skeleton.joints.length);
  for (const joint of jointsNamed(character, '--lock', options.lock) ?? []) locks[joint] = 1;
  const rows = character.rows.map(copyRows);
  const { change, report } = await transferWeights(character.parts, rows, {
    ...{ source, joints, matrix: prepared.alignment.matrix, placed: prepared.placed },
    distance: numberOf('--distance', options.distance, DEFAULT_DISTANCE),
    angle: numberOf('--angle', options.angle, DEFAULT_ANGLE),
    points: options.selection === undefined ? undefined : readSelection(options.selection, character),
    rules: { locks, limit: numberOf('--max-influences', options.maxInfluences, 4) },
  });
  apply(rows, change);
  writeFile(output, exportCharacter(container, character, rows));
  const { matched, filled, far, rigid, held } = report;
  const toAbove = prepared.joints
    .filter(({ basis }) => basis === 'above')
    .map(({ source: joint }) => giver.skeleton.joints[joint].name);
  const unmatched = prepared.joints
    .filter(({ target }) => target < 0)
    .map(({ source: joint }) => giver.skeleton.joints[joint].name);
  const summary = { ...{ matched, filled, far, rigid, held }, alignedBy: prepared.basis, toAbove, unmatched };
  process.stdout.write(options.json ? `${JSON.stringify(summary)}\n` : asText(summary));
}

interface Summary {
  readonly matched: number;
  readonly filled: number;
  readonly far: number;
  readonly rigid: number;
  readonly held: number;
  readonly toAbove: readonly string[];
  readonly unmatched: readonly string[];
}

function asText({ matched, filled, far, rigid, held, toAbove, unmatched }: Summary): string {
  return [
    `${matched} points matched, ${filled} filled from the surface around them.`,
    ...(rigid > 0 ? [`${rigid} points on rigid pieces follow one joint each.`] : []),
    ...(far > 0 ? [`${far} points had nothing near: they took what is nearest.`] : []),
    ...(held > 0 ? [`${held} points stay as they were.`] : []),
    ...(toAbove.length > 0 ? [`Without a counterpart, to what they hang on: ${toAbove.join(', ')}.`] : []),
    ...(unmatched.length > 0 ? [`Without any counterpart: ${unmatched.join(', ')}.`] : []),
    '',
  ].join('\n');
}

const selectionFile = z.record(z.string(), z.array(z.number().int().min(0)).max(10_000_000));

/** A selection: by part name, vertices as the file counts them. @throws CoreError argument-invalid */
function readSelection(path: string, { parts }: Character): Map<number, Uint32Array> {
  let read: unknown;
  try {
    read = JSON.parse(readFileSync(path, 'utf8'));
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
    throw new CoreError('argument-invalid', '--selection: the file is not JSON.');
  }
  const parsed = selectionFile.safeParse(read);
  if (!parsed.success)
    throw new CoreError(
      'argument-invalid',
      '--selection: an object is needed, with a list of vertex numbers for each part’s name.',
    );
  return new Map(
    Object.entries(parsed.data).map(([name, vertices]): [number, Uint32Array] => {
      const part = parts.findIndex((each) => each.name === name);
      if (part < 0)
        throw new CoreError(
          'argument-invalid',
          `--selection: there is no part “${name}”. judoka info lists what there is.`,
        );
      const { vertexPoint } = parts[part];
      const beyond = vertices.find((vertex) => vertex >= vertexPoint.length);
      if (beyond !== undefined)
        throw new CoreError(
          'argument-invalid',
          `--selection: “${name}” has ${vertexPoint.length} vertices, and no number ${beyond}.`,
        );
      return [part, Uint32Array.from(new Set(vertices.map((vertex) => vertexPoint[vertex]))).sort()];
    }),
  );
}

function numberOf(option: string, text: string | undefined, usual: number): number {
  if (text === undefined) return usual;
  const number = Number(text);
  if (text.trim() !== '' && Number.isFinite(number) && number > 0) return number;
  throw new CoreError('argument-invalid', `${option}: “${text}” is not a number above 0.`);
}
