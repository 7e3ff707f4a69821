import { CoreError } from '../errors.ts';

/** How weights are kept in a file: single precision, or whole numbers of 16 or 8 bits in shares of the largest one. */
export const WEIGHT_FORMATS = ['f32', 'u16', 'u8'] as const;
export type WeightFormat = (typeof WEIGHT_FORMATS)[number];
export const WEIGHT_STEPS: Readonly<Record<WeightFormat, number>> = { f32: 0, u16: 65535, u8: 255 };
export const WEIGHT_FORMAT_WORDS: Readonly<Record<WeightFormat, string>> = {
  f32: 'single precision',
  u16: '16 bits',
  u8: '8 bits',
};

/** What an engine takes. */
export interface DeliveryProfile {
  readonly name: string;
  /** Influences a vertex. */
  readonly influences: number;
  /** Joints a skin. */
  readonly joints: number;
  /** Vertices a part. */
  readonly vertices: number;
  /** What names of joints and parts have to be like; anything goes where it is missing. */
  readonly names?: NameLimits;
  /** The largest that weights may be kept in; any where it is missing. */
  readonly weights?: WeightFormat;
  /** Names of joints that have to be there. */
  readonly required?: readonly string[];
  /** From and to, in metres, how tall the character may be. */
  readonly height?: readonly [number, number];
  /** Which way is up. */
  readonly up?: 'Y' | 'Z';
}

export interface NameLimits {
  /** Characters at most; 0 for no limit. */
  readonly length: number;
  /** A regular expression that the whole name has to match; empty for any. */
  readonly pattern: string;
}

/** A pattern longer than this is no rule for names. */
const MAX_PATTERN = 120;

/** Why a pattern cannot be used, in a sentence; empty where it can. */
export function patternTrouble(pattern: string): string {
  if (pattern.length > MAX_PATTERN) return `A pattern has at most ${MAX_PATTERN} characters.`;
  // Repeats of repeats take for ever on some names.
  if (/[+*}]\)?[+*{]/.test(pattern)) return 'Repeats of repeats are not taken.';
  try {
    new RegExp(pattern, 'u');
    return '';
  } catch {
    return 'This is no regular expression.';
  }
}

/** Whether a name is as a profile wants it. */
export function isNameTaken(name: string, { length, pattern }: NameLimits): boolean {
  if (length > 0 && Array.from(name).length > length) return false;
  return pattern === '' || patternTrouble(pattern) !== '' || new RegExp(`^(?:${pattern})$`, 'u').test(name);
}

export const PROFILES: readonly DeliveryProfile[] = [
  { name: 'Phone', influences: 4, joints: 75, vertices: 30_000, weights: 'u8' },
  { name: 'Console', influences: 8, joints: 300, vertices: 200_000 },
  { name: 'Film', influences: 16, joints: 2000, vertices: 5_000_000 },
];

/** The profile that a check-up uses when none is named: four influences, as most engines take. */
export const DEFAULT_PROFILE: DeliveryProfile = {
  name: 'Everyday',
  influences: 4,
  joints: 256,
  vertices: 200_000,
};

const MAX_REQUIRED = 500;

/**
 * A profile from a file: all that it says is looked at.
 * @throws CoreError file-invalid with the name of the field
 */
export function readProfile(json: unknown): DeliveryProfile {
  const from = asObject(json);
  const { name, names, weights, required, height, up } = from;
  if (typeof name !== 'string' || name.trim() === '' || name.length > 40)
    throw wrong('name', 'a text of 1 to 40 letters');
  const whole = (field: string, most: number): number => {
    const value = from[field];
    if (!Number.isInteger(value) || (value as number) < 1 || (value as number) > most)
      throw wrong(field, `a whole number from 1 to ${most}`);
    return value as number;
  };
  return {
    name: name.trim(),
    influences: whole('influences', 64),
    joints: whole('joints', 65_535),
    vertices: whole('vertices', 100_000_000),
    ...(names !== undefined && { names: readNames(names) }),
    ...(weights !== undefined && { weights: oneOf('weights', weights, WEIGHT_FORMATS) }),
    ...(required !== undefined && { required: readRequired(required) }),
    ...(height !== undefined && { height: readHeight(height) }),
    ...(up !== undefined && { up: oneOf('up', up, ['Y', 'Z'] as const) }),
  };
}

const wrong = (field: string, needed: string): CoreError =>
  new CoreError('file-invalid', `The profile's “${field}” has to be ${needed}.`, { where: field });

function asObject(json: unknown): Readonly<Record<string, unknown>> {
  if (typeof json !== 'object' || json === null || Array.isArray(json))
    throw new CoreError('file-invalid', 'This is no profile: it has to be an object of limits.');
  return json as Record<string, unknown>;
}

function oneOf<T extends string>(field: string, value: unknown, all: readonly T[]): T {
  const found = all.find((one) => one === value);
  if (found === undefined) throw wrong(field, `one of: ${all.join(', ')}`);
  return found;
}

function readNames(json: unknown): NameLimits {
  const { length = 0, pattern = '' } = asObject(json);
  if (!Number.isInteger(length) || (length as number) < 0 || (length as number) > 1000)
    throw wrong('names.length', 'a whole number from 0 to 1000');
  if (typeof pattern !== 'string' || patternTrouble(pattern) !== '')
    throw wrong('names.pattern', 'a regular expression without repeats of repeats');
  return { length: length as number, pattern };
}

function readRequired(json: unknown): string[] {
  const isList =
    Array.isArray(json) && json.every((one) => typeof one === 'string' && one !== '' && one.length <= 200);
  if (!isList || json.length > MAX_REQUIRED)
    throw wrong('required', `a list of at most ${MAX_REQUIRED} names`);
  return json as string[];
}

function readHeight(json: unknown): [number, number] {
  const [least, most] = Array.isArray(json) ? (json as unknown[]) : [];
  if (typeof least !== 'number' || typeof most !== 'number' || !(least >= 0 && most >= least && most < 1e6))
    throw wrong('height', 'two lengths in metres, the lesser first');
  return [least, most];
}
