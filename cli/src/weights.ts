import { jointsNamed } from './named.ts';
import { apply, compose, copyRows, type Change, type Delta, type WeightRows } from '@judoka/core/weights';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { CoreError } from '@judoka/core/errors';
import { createPaintWorkspace, Stroke } from '@judoka/core/operations/paint';
import { createPlainMemory } from '@judoka/core/memory';
import { exportCharacter, readCharacter } from '@judoka/core/formats';
import { findNeighbours } from '@judoka/core/mesh';
import { type Character, type CharacterPart, gatherMirrorSpace } from '@judoka/core/document';
import {
  mirrorWeights,
  PAIR_MODES,
  pairByPlace,
  pairByTopology,
  type PairMode,
} from '@judoka/core/operations/mirror';
import { pruneWeights } from '@judoka/core/operations/exact';
import { decoders, openFile, writeFile } from './files.ts';
import { limitByMovement } from './limitByMovement.ts';
import { signOfLeft } from '@judoka/core/skeleton';

/** Options that several of these commands take. */
export interface WeightOptions {
  maxInfluences?: string;
  lock?: string;
  joints?: string;
  json?: boolean;
}

type Told = Readonly<Record<string, string | number>>;

interface Work {
  readonly character: Character;
  readonly rows: readonly WeightRows[];
  readonly locks: Uint8Array;
  readonly limit: number;
  /** Chosen joints; all where missing. */
  readonly joints: readonly number[] | undefined;
}

/** What a command does to the weights of a character; `rows` are changed in place. */
export type WeightStep<Options> = (
  character: Character,
  rows: readonly WeightRows[],
  options: Options,
) => { change: Change; told?: Told };

/** A step that acts within a limit and leaves locked joints alone. */
function weightStep<Options extends WeightOptions>(
  defaultLimit: number,
  work: (work: Work, options: Options) => { change: Change; told?: Told },
): WeightStep<Options> {
  return (character, rows, options) => {
    const limit = numberFrom('--max-influences', options.maxInfluences, defaultLimit, 1, 64, true);
    if (!character.parts.some(({ role }) => role === 'skinned'))
      throw new CoreError('argument-invalid', 'No part of this file has weights.');
    const locks = new Uint8Array(character.skeleton.joints.length);
    for (const joint of jointsNamed(character, '--lock', options.lock) ?? []) locks[joint] = 1;
    const joints = jointsNamed(character, '--joints', options.joints);
    const done = work({ character, rows, locks, limit, joints }, options);
    apply(rows, done.change);
    return done;
  };
}

/** Opens a file, does a step, writes it, and tells what was done. */
async function onFile<Options extends WeightOptions>(
  input: string,
  output: string,
  options: Options,
  step: WeightStep<Options>,
): Promise<void> {
  const container = openFile(input);
  const character = await readCharacter(container, decoders);
  const rows = character.rows.map(copyRows);
  const { change, told = {} } = step(character, rows, options);
  writeFile(output, exportCharacter(container, character, rows));
  const summary = {
    points: change.reduce((sum, { points }) => sum + points.length, 0),
    parts: change.map(({ part, points }) => ({
      part,
      name: character.parts[part].name,
      points: points.length,
    })),
    ...told,
  };
  process.stdout.write(options.json ? `${JSON.stringify(summary)}\n` : asText(summary, told));
}

function asText(summary: { points: number; parts: { name: string; points: number }[] }, told: Told): string {
  const lines = [
    summary.points === 0 ? 'Nothing to change.' : `${summary.points} points changed.`,
    ...summary.parts.map(({ name, points }) => `“${name}”: ${points} points.`),
    ...Object.entries(told).map(([what, value]) => `${what}: ${value}`),
  ];
  return `${lines.join('\n')}\n`;
}

export function numberFrom(
  option: string,
  text: string | undefined,
  otherwise: number,
  least: number,
  most: number,
  whole = false,
): number {
  if (text === undefined) return otherwise;
  const value = Number(text);
  if (text.trim() !== '' && value >= least && value <= most && (!whole || Number.isInteger(value)))
    return value;
  const kind = whole ? 'a whole number' : 'a number';
  throw new CoreError('argument-invalid', `${option} is ${kind} from ${least} to ${most}, not “${text}”.`);
}

const allPoints = ({ pointCount }: WeightRows): Uint32Array =>
  Uint32Array.from({ length: pointCount }, (_, p) => p);

/** A delta for each skinned part; those that change nothing are left out. */
function eachSkinned(
  { character, rows }: Work,
  make: (part: number, own: WeightRows, held: CharacterPart) => Delta,
): Change {
  return character.parts
    .flatMap((held, part) => (held.role === 'skinned' ? [make(part, rows[part], held)] : []))
    .filter(({ points }) => points.length > 0);
}

/** Sums one, and no more influences than allowed. */
export const normalizeStep = weightStep(64, (work: Work) => ({
  change: eachSkinned(work, (part, own) =>
    pruneWeights(part, own, allPoints(own), { most: work.limit }, { locks: work.locks, limit: own.stride }),
  ),
}));

export const normalize = (input: string, output: string, options: WeightOptions): Promise<void> =>
  onFile(input, output, options, normalizeStep);

export interface PruneOptions extends WeightOptions {
  below?: string;
  round?: string;
  by?: string;
}

/**
 * Drops small weights, brings influences within their limit by least movement, rounds. What the limit costs is told in metres:
 * the farthest that a point moves in any pose of the range of motion and the clips.
 */
export const pruneStep = weightStep(64, (work: Work, options: PruneOptions) => {
  const below = numberFrom('--below', options.below, 0.01, 0, 0.99);
  const step = numberFrom('--round', options.round, 0, 0, 0.5);
  const by = options.by ?? 'movement';
  if (by !== 'movement' && by !== 'weight')
    throw new CoreError('argument-invalid', `--by is movement or weight, not “${by}”.`);
  const rules = (own: WeightRows) => ({ locks: work.locks, limit: own.stride });
  const dropped = eachSkinned(work, (part, own) =>
    pruneWeights(
      part,
      own,
      allPoints(own),
      { below, most: by === 'weight' ? work.limit : own.stride },
      rules(own),
    ),
  );
  const rows = work.rows.map(copyRows);
  apply(rows, dropped);
  const limited = by === 'weight' ? { change: [] } : limitByMovement(work.character, rows, work);
  apply(rows, limited.change);
  const rounded =
    step > 0
      ? eachSkinned({ ...work, rows }, (part, own) =>
          pruneWeights(part, own, allPoints(own), { step }, rules(own)),
        )
      : [];
  return {
    change: compose(compose(dropped, limited.change), rounded),
    ...('cost' in limited &&
      limited.change.length > 0 && {
        told: { cost: limited.cost, costOfDroppingTheSmallest: limited.plainCost },
      }),
  };
});

export const prune = (input: string, output: string, options: PruneOptions): Promise<void> =>
  onFile(input, output, options, pruneStep);

export interface MirrorOptions extends WeightOptions {
  from: string;
  by?: string;
  tolerance?: string;
}

/** Gives one side the mirrored weights of the other. */
export const mirrorStep = weightStep(8, (work: Work, options: MirrorOptions) => {
  const { character, rows, locks, limit, joints } = work;
  const { from, by = 'topology' } = options;
  if (from !== 'left' && from !== 'right')
    throw new CoreError('argument-invalid', `--from is left or right, not “${from}”.`);
  const mode = PAIR_MODES.find((one): one is PairMode => one === by);
  if (!mode) throw new CoreError('argument-invalid', `--by is place or topology, not “${by}”.`);
  const share = numberFrom('--tolerance', options.tolerance, 0.002, 1e-6, 0.1);
  const { pairs, places, box } = checkInput(character, {});
  const size = Math.max(...box.most.map((x, k) => x - box.least[k]));
  const { axis, middle, partner } = pairs;
  const space = gatherMirrorSpace(character.parts, character.drawing !== undefined);
  const find = mode === 'place' ? pairByPlace : pairByTopology;
  const leftIsPositive = signOfLeft(character.skeleton, places, pairs) > 0;
  const direction = (from === 'left') === leftIsPositive ? 'toNegative' : 'toPositive';
  const tolerance = share * size;
  const { change, report } = mirrorWeights(
    rows,
    space,
    {
      pairs: find(space, { axis, middle }, tolerance),
      plane: { axis, middle },
      direction,
      partner,
      joints,
      tolerance,
    },
    { locks, limit },
  );
  const skinned = change.filter(({ part }) => character.parts[part].role === 'skinned');
  const unpaired = [...report.unpaired].reduce(
    (sum, [part, points]) => sum + (character.parts[part].role === 'skinned' ? points.length : 0),
    0,
  );
  return { change: skinned, told: { unpaired, jointsWithoutPartner: report.lonely.length } };
});

export const mirror = (input: string, output: string, options: MirrorOptions): Promise<void> =>
  onFile(input, output, options, mirrorStep);

export interface SmoothOptions extends WeightOptions {
  passes?: string;
}

/** Smooths all influences, or those of some joints, over the whole surface. */
export const smoothStep = weightStep(4, (work: Work, options: SmoothOptions) => {
  const passes = numberFrom('--passes', options.passes, 1, 1, 1000, true);
  return {
    change: eachSkinned(work, (part, own, held) => {
      const polygons = { offsets: held.polygonOffsets, points: held.polygonPoints };
      const neighbours = findNeighbours(polygons, held.pointCount);
      const workspace = createPaintWorkspace(createPlainMemory(), held.pointCount, own.stride, neighbours);
      const scratch = copyRows(own);
      const settings = { tool: 'smooth', strength: 0.5, value: 0, limit: work.limit } as const;
      const meant = work.joints ?? [-1];
      const stroke = new Stroke(
        part,
        scratch,
        workspace,
        { ...settings, joint: Math.max(0, meant[0]), allInfluences: work.joints === undefined },
        work.locks,
      );
      for (let pass = 0; pass < passes; pass++) {
        for (const joint of meant) {
          workspace.points.set(allPoints(own));
          workspace.amounts.fill(1);
          if (joint < 0) stroke.dab(own.pointCount);
          else if (!work.locks[joint]) stroke.dab(own.pointCount, 1, joint);
        }
      }
      return stroke.finish().delta;
    }),
  };
});

export const smooth = (input: string, output: string, options: SmoothOptions): Promise<void> =>
  onFile(input, output, options, smoothStep);
