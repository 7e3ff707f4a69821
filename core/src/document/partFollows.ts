import { CoreError } from '../errors.ts';

/** How a part follows the surface of another one. */
export interface PartFollows {
  /** Number of the part that it follows. */
  readonly driver: number;
  /** The mask that says how much of it each point takes; all of it where it is missing. */
  readonly mask?: string;
  /** Whether it moves by its own weights for now. */
  readonly isOff?: boolean;
}

export type FollowsByPart = Readonly<Record<number, PartFollows | undefined>>;

/** The parts that follow, whose chain ends at one that does not: of two that follow each other neither does. */
export function soundFollows(follows: FollowsByPart, partCount: number): Map<number, PartFollows> {
  const found = new Map<number, PartFollows>();
  for (const [key, own] of Object.entries(follows)) {
    const part = Number(key);
    if (!own || part >= partCount || own.driver >= partCount) continue;
    if (!leadsTo(follows, own.driver, part)) found.set(part, own);
  }
  return found;
}

/** Whether a part follows another one, by any way; or is it. */
function leadsTo(follows: FollowsByPart, from: number, wanted: number): boolean {
  const met = new Set<number>();
  for (
    let next: number | undefined = from;
    next !== undefined && !met.has(next);
    next = follows[next]?.driver
  ) {
    if (next === wanted) return true;
    met.add(next);
  }
  return false;
}

/** @throws CoreError argument-invalid if a part cannot follow another one, because that follows it */
export function checkFollows(
  follows: FollowsByPart,
  part: number,
  driver: number,
  nameOf: (part: number) => string,
): void {
  if (part === driver) throw new CoreError('argument-invalid', 'A part cannot follow itself.', { part });
  if (leadsTo(follows, driver, part))
    throw new CoreError(
      'argument-invalid',
      `${nameOf(driver)} follows ${nameOf(part)}: let go of that first, or let ${nameOf(part)} follow another part.`,
      { part, driver },
    );
}
