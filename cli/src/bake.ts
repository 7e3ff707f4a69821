import {
  type CharacterLook,
  DEFAULT_RELAXING,
  type Followings,
  MAX_RELAX_PASSES,
  PartLook,
  weightsAlong,
} from '@judoka/core/deform';
import { type Character, characterSize, counted, followPart } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { exportCharacter, readCharacter, readShapes } from '@judoka/core/formats';
import { findNeighbours } from '@judoka/core/mesh';
import { type Bake, bakeLook } from '@judoka/core/operations/cure';
import type { Pose } from '@judoka/core/skeleton';
import { apply, copyRows, type WeightRows } from '@judoka/core/weights';
import { decoders, openFile, writeFile } from './files.ts';
import { bendsOf, type Damage, damageLines } from './damages.ts';
import { posesOf } from './limitByMovement.ts';
import { clipsNamed, jointsNamed, partsNamed } from './named.ts';
import { numberFrom, type WeightOptions } from './weights.ts';

export interface BakeOptions extends WeightOptions {
  look?: string;
  passes?: string;
  strength?: string;
  keepVolume?: boolean;
  driver?: string;
  parts?: string;
  clips?: string;
  shapes?: string;
}

/** How far a part is off a look: in scene units, and as shares of the character's size. */
interface Off {
  readonly rms: number;
  readonly greatest: number;
  readonly rmsShare: number;
  readonly greatestShare: number;
}

/** What baking did to a part. */
interface BakedPart {
  readonly part: string;
  readonly points: number;
  readonly before: Off;
  readonly after: Off;
  /** The root mean square that weights without a limit on their number would leave. */
  readonly unlimited: number;
}

async function lookFrom(character: Character, options: BakeOptions): Promise<CharacterLook> {
  const { look = 'relaxed', passes, strength, keepVolume = false, driver } = options;
  if (driver !== undefined && look !== 'following')
    throw new CoreError('argument-invalid', '--driver goes with --look following.');
  if (look === 'dual') return { skinning: 'dual' };
  if (look === 'following')
    return { skinning: 'linear', following: await followingsFrom(character, options) };
  if (look !== 'relaxed')
    throw new CoreError('argument-invalid', `--look is relaxed, dual or following, not “${look}”.`);
  return {
    skinning: 'linear',
    relaxing: {
      passes: numberFrom('--passes', passes, DEFAULT_RELAXING.passes, 1, MAX_RELAX_PASSES, true),
      strength: numberFrom('--strength', strength, DEFAULT_RELAXING.strength, 0, 1),
      keepsVolume: keepVolume,
    },
  };
}

/** The parts that follow one other part. */
async function followingsFrom(character: Character, { driver, parts }: BakeOptions): Promise<Followings> {
  const [followers, drivers] = [
    partsNamed(character, '--parts', parts),
    partsNamed(character, '--driver', driver),
  ];
  if (!followers || drivers?.length !== 1)
    throw new CoreError(
      'argument-invalid',
      '--look following needs --parts, which follow, and --driver, the one part that they follow.',
    );
  for (const part of [...followers, drivers[0]])
    if (character.parts[part].role !== 'skinned')
      throw new CoreError('argument-invalid', `“${character.parts[part].name}” has no weights.`);
  if (followers.includes(drivers[0]))
    throw new CoreError('argument-invalid', 'A part cannot follow itself: take it out of --parts.');
  const found: Followings[number][] = character.parts.map(() => undefined);
  for (const part of followers)
    found[part] = { driver: drivers[0], hold: await followPart(character, part, drivers[0]) };
  return found;
}

/** Bakes a look of the range of motion and the clips into plain weights; `rows` are changed in place. */
export async function bakeStep(
  character: Character,
  rows: readonly WeightRows[],
  options: BakeOptions,
): Promise<BakedPart[]> {
  const look = await lookFrom(character, options);
  const limit = numberFrom('--max-influences', options.maxInfluences, 4, 1, 64, true);
  const locks = new Uint8Array(character.skeleton.joints.length);
  for (const joint of jointsNamed(character, '--lock', options.lock) ?? []) locks[joint] = 1;
  const chosen =
    partsNamed(character, '--parts', options.parts) ??
    character.parts.flatMap(({ role }, i) => (role === 'skinned' ? [i] : []));
  if (chosen.every((i) => character.parts[i].role !== 'skinned'))
    throw new CoreError('argument-invalid', 'No part of this file has weights.');
  const { poses, lookOf } = options.shapes
    ? await shapesOf(character, options.shapes)
    : looksOf(character, rows, options, look);
  const size = characterSize(character.parts);
  const done: BakedPart[] = [];
  for (const i of chosen) {
    const part = character.parts[i];
    const lookAt = part.role === 'skinned' ? await lookOf(i) : undefined;
    if (!lookAt) continue;
    const { positions, inverseBinds, polygonOffsets: offsets, polygonPoints: points, pointCount } = part;
    const found = await bakeLook(
      i,
      {
        ...{ positions, inverseBinds, skeleton: character.skeleton, rows: rows[i] },
        neighbours: findNeighbours({ offsets, points }, pointCount),
        ...(look.following?.[i] && { seeds: weightsAlong(rows, look.following, i) }),
      },
      poses,
      lookAt,
      { limit, locks },
    );
    apply(rows, [found.delta]);
    done.push(bakedPart(part.name, found, size));
  }
  return done;
}

/** What is baked: poses, and where the points of a part should be in each; undefined for a part without. */
interface Looks {
  readonly poses: readonly Pose[];
  readonly lookOf: (part: number) => Promise<((pose: Pose, k: number) => Float32Array) | undefined>;
}

/** The look of the character's own surface, over its range of motion and clips. */
function looksOf(
  character: Character,
  rows: readonly WeightRows[],
  options: BakeOptions,
  look: CharacterLook,
): Looks {
  const clips = clipsNamed(character, '--clips', options.clips);
  const poses = posesOf({ ...character, clips }, rows).poses.map(({ pose }) => pose);
  if (poses.length === 0)
    throw new CoreError(
      'argument-invalid',
      'No joint of this file moves anything: there is nothing to bake.',
    );
  return {
    poses,
    lookOf: async (i) => {
      const part = await PartLook.create({ ...character, rows }, i, look);
      return (pose) => part.at(pose).positions;
    },
  };
}

/** The shapes of another file. */
async function shapesOf(character: Character, path: string): Promise<Looks> {
  const shapes = await readShapes(openFile(path), character, decoders);
  return {
    poses: shapes.poses,
    lookOf: (i) => Promise.resolve(shapes.parts.includes(i) ? (_pose, k) => shapes.at(i, k) : undefined),
  };
}

function bakedPart(part: string, { delta, before, after, unlimited }: Bake, size: number): BakedPart {
  const off = ({ rms, greatest }: Bake['before']): Off => ({
    ...{ rms, greatest },
    rmsShare: rms / size,
    greatestShare: greatest / size,
  });
  return { part, points: delta.points.length, before: off(before), after: off(after), unlimited };
}

export async function bake(input: string, output: string, options: BakeOptions): Promise<void> {
  const container = openFile(input);
  const character = await readCharacter(container, decoders);
  const rows = character.rows.map(copyRows);
  const were = await bendsOf(character, rows);
  const parts = await bakeStep(character, rows, options);
  const are = await bendsOf(character, rows);
  writeFile(output, exportCharacter(container, character, rows));
  const joints = were.map(({ joint, damage }, i): Damage => ({
    joint,
    before: damage,
    after: are.at(i)?.damage ?? 0,
  }));
  process.stdout.write(
    options.json
      ? `${JSON.stringify({ parts, joints })}\n`
      : `${parts.map(asText).join('')}Damage of bends, over the range:\n${damageLines(joints)}`,
  );
}

const millimetres = (length: number): string => `${(1000 * length).toPrecision(3)} mm`;

function asText({ part, points, before, after, unlimited }: BakedPart): string {
  const shown = before.rms > 0 ? Math.round(100 * (1 - after.rms / before.rms)) : 100;
  return `“${part}”: ${counted(points, 'point')} changed. Off the look by ${millimetres(after.rms)} in the mean and ${millimetres(after.greatest)} at most; before ${millimetres(before.rms)} and ${millimetres(before.greatest)}. Plain weights show ${shown}% of it; without a limit they would be off by ${millimetres(unlimited)}.\n`;
}
