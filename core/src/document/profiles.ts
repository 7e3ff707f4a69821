/** What an engine takes. */
export interface DeliveryProfile {
  readonly name: string;
  /** Influences a vertex. */
  readonly influences: number;
  readonly joints: number;
  readonly vertices: number;
  /** What names of joints and parts have to be like; anything goes where it is missing. */
  readonly names?: NameLimits;
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
  { name: 'Phone', influences: 4, joints: 75, vertices: 30_000 },
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
