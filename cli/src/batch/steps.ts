import { join } from 'node:path';
import { checkUp, leftOutJoints } from '@judoka/core/analysis/checkUp';
import { rankStrays } from '@judoka/core/analysis/strays';
import { counted, DELIVERY_FORMATS, WEIGHT_FORMATS } from '@judoka/core/document';
import { deliverCharacter, deliveryLosses } from '@judoka/core/formats';
import { removeStrays } from '@judoka/core/operations/repair';
import { apply, countPoints, OTHERS } from '@judoka/core/weights';
import { z } from 'zod';
import { bindStep } from '../bind.ts';
import { bakeStep } from '../bake.ts';
import { cureStep } from '../cure.ts';
import { decoders, writeWhole } from '../files.ts';
import { profileNamed } from '../profiles.ts';
import { repairStep } from '../repair.ts';
import { writeReport } from '../report.ts';
import { mirrorStep, normalizeStep, pruneStep, smoothStep, type WeightStep } from '../weights.ts';
import type { HeldCharacter } from './HeldCharacter.ts';
import { meetProfile } from './meetProfile.ts';

/** What a step did to one character. */
export interface StepOutcome {
  readonly step: string;
  readonly words: string;
  /** Whether something is wrong that is not cured. */
  readonly isWrong?: boolean;
  /** Files that were written. */
  readonly files?: readonly string[];
  readonly figures?: Readonly<Record<string, unknown>>;
}

export interface StepPlace {
  /** Where files are written. */
  readonly out: string;
  /** When the run began. */
  readonly at: Date;
}

const text = z.string().max(2000);
const number = z.union([z.number(), text]).transform(String);
const limits = { maxInfluences: number.optional(), lock: text.optional() };
const profile = { profile: text.optional() };

/** A step of a recipe: a command with its options, by the names that these have, without the lines before them. */
const SCHEMAS = {
  check: z.strictObject(profile),
  repair: z.strictObject({ only: text.optional(), ...profile }),
  normalize: z.strictObject(limits),
  prune: z.strictObject({
    ...limits,
    below: number.optional(),
    round: number.optional(),
    by: z.enum(['movement', 'weight']).optional(),
  }),
  smooth: z.strictObject({ ...limits, passes: number.optional(), joints: text.optional() }),
  mirror: z.strictObject({
    ...limits,
    from: z.enum(['left', 'right']),
    by: z.enum(['topology', 'place']).optional(),
    tolerance: number.optional(),
    joints: text.optional(),
  }),
  bake: z.strictObject({
    ...limits,
    look: z.enum(['relaxed', 'dual']).optional(),
    passes: number.optional(),
    strength: number.optional(),
    keepVolume: z.boolean().optional(),
    parts: text.optional(),
    clips: text.optional(),
  }),
  cure: z.strictObject({ ...limits, joints: text.optional() }),
  strays: z.strictObject({ all: z.boolean().optional() }),
  bind: z.strictObject({
    method: z.enum(['nearest', 'heat', 'volume']),
    maxInfluences: number.default('4'),
    falloff: number.optional(),
    joints: text.optional(),
    parts: text.optional(),
    onlyDeforming: z.boolean().optional(),
    nodesAsJoints: z.boolean().optional(),
  }),
  deliver: z.strictObject({
    ...profile,
    format: z.enum(DELIVERY_FORMATS).optional(),
    weights: z.enum(WEIGHT_FORMATS).optional(),
    packed: z.boolean().optional(),
    split: z.boolean().optional(),
  }),
  report: z.strictObject(profile),
} as const;

type StepName = keyof typeof SCHEMAS;
export const STEP_NAMES = Object.keys(SCHEMAS) as StepName[];
/** A step with its options, checked. */
export type Step = { [Name in StepName]: { readonly do: Name } & z.output<(typeof SCHEMAS)[Name]> }[StepName];

const READS = new Set<StepName>(['check', 'deliver', 'report']);
/** Whether a step may leave a character other than it was. */
export const changes = (step: Step): boolean => !READS.has(step.do);

export const stepSchema = (name: string): z.ZodType | undefined =>
  Object.hasOwn(SCHEMAS, name) ? SCHEMAS[name as StepName] : undefined;

/** Does one step. @throws CoreError what it refuses */
export async function doStep(held: HeldCharacter, step: Step, place: StepPlace): Promise<StepOutcome> {
  switch (step.do) {
    case 'check':
      return check(held, step.profile);
    case 'repair': {
      const found = await repairStep(held, step);
      return {
        step: 'repair',
        words: found === 0 ? 'nothing to repair' : `${counted(found, 'finding')} repaired`,
      };
    }
    case 'normalize':
      return weights(held, 'normalize', normalizeStep, step);
    case 'prune':
      return weights(held, 'prune', pruneStep, step);
    case 'smooth':
      return weights(held, 'smooth', smoothStep, step);
    case 'mirror':
      return weights(held, 'mirror', mirrorStep, step);
    case 'bake': {
      const parts = await bakeStep(held.character, held.rows, step);
      const points = parts.reduce((sum, each) => sum + each.points, 0);
      return { step: 'bake', words: `${counted(points, 'point')} changed`, figures: { parts } };
    }
    case 'cure': {
      const { change, joints } = await cureStep(held.character, held.rows, step);
      const sum = (of: 'before' | 'after'): number => joints.reduce((total, each) => total + each[of], 0);
      return {
        step: 'cure',
        words: `${counted(countPoints(change), 'point')} changed, damage of bends ${sum('before').toPrecision(3)} → ${sum('after').toPrecision(3)}`,
        figures: { points: countPoints(change), before: sum('before'), after: sum('after') },
      };
    }
    case 'strays':
      return strays(held, step.all ?? false);
    case 'bind': {
      const points = await bindStep(held, step);
      return { step: 'bind', words: `${counted(points, 'point')} bound by ${step.method}` };
    }
    case 'deliver':
      return deliver(held, step, place);
    case 'report':
      return report(held, step.profile, place);
  }
}

function check(held: HeldCharacter, named: string | undefined): StepOutcome {
  const findings = checkUp(held.now, { profile: profileNamed(named), nonDeforming: leftOutJoints(held.now) });
  const wrong = findings.filter(({ severity }) => severity !== 'note').length;
  const words = wrong === 0 ? 'nothing wrong' : counted(wrong, 'finding');
  return {
    step: 'check',
    words,
    isWrong: wrong > 0,
    figures: { findings: findings.map(({ code, count }) => ({ code, count })) },
  };
}

function weights<Options>(
  held: HeldCharacter,
  name: string,
  step: WeightStep<Options>,
  options: Options,
): StepOutcome {
  const { change, told = {} } = step(held.character, held.rows, options);
  const points = change.reduce((sum, delta) => sum + delta.points.length, 0);
  return { step: name, words: `${counted(points, 'point')} changed`, figures: { points, ...told } };
}

function strays(held: HeldCharacter, all: boolean): StepOutcome {
  const found = rankStrays(held.now).filter(({ twin }) => all || !twin);
  const locks = new Uint8Array(held.character.skeleton.joints.length);
  const limit = Math.max(8, ...held.rows.map(({ stride }) => stride));
  const { change } = removeStrays(held.character.parts, held.rows, found, { receiver: OTHERS, locks, limit });
  apply(held.rows, change);
  return {
    step: 'strays',
    words: found.length === 0 ? 'no weight strays' : `${counted(found.length, 'stray')} removed`,
  };
}

async function deliver(
  held: HeldCharacter,
  { profile: named, format, weights: kept, packed, split }: Extract<Step, { do: 'deliver' }>,
  { out, at }: StepPlace,
): Promise<StepOutcome> {
  const limits = profileNamed(named);
  const met = await meetProfile(held, limits, {
    ...(format && { format }),
    ...(kept && { weights: kept }),
    ...(packed && { isPacked: true }),
    ...(split && { maxJoints: limits.joints }),
  });
  const { character, rows, container } = held;
  const { drawing } = character;
  const leaving = {
    ...{ container, character, rows },
    ...(drawing && { drawn: { now: held.now, order: rows.map((_, i) => i) } }),
  };
  const { files } = await deliverCharacter(leaving, met.delivery, held.name, { decoders, at });
  const losses = deliveryLosses(container, met.delivery);
  for (const [name, bytes] of files) writeWhole(join(out, name), bytes);
  const open = met.lines.filter(({ isMet }) => !isMet);
  const cost = `${(1000 * met.cost).toPrecision(2)} mm`;
  return {
    step: 'deliver',
    words: `${open.length === 0 ? `meets ${limits.name}` : open.map(({ words }) => words).join(' ')}, costs ${cost}${losses.length > 0 ? `. ${losses.join(' ')}` : ''}`,
    isWrong: open.length > 0,
    files: [...files.keys()],
    figures: {
      profile: limits.name,
      cost: met.cost,
      losses,
      rms: met.rms,
      lines: met.lines.map(({ limit, isMet, words }) => ({ limit, isMet, words })),
    },
  };
}

async function report(
  held: HeldCharacter,
  named: string | undefined,
  { out, at }: StepPlace,
): Promise<StepOutcome> {
  const isSame = held.came.every(({ pointCount }, part) => pointCount === held.rows.at(part)?.pointCount);
  const { files, words, isWrong } = await writeReport(held.now, {
    ...{ name: held.name, profile: profileNamed(named), out, at },
    ...(isSame && { before: held.came }),
  });
  return { step: 'report', words, isWrong, files };
}
