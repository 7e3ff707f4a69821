/** Which joint follows which, as a person has said it, by names: it holds for other motions and characters of these names. */
type Corrections = Readonly<Record<string, string | null>>;

const STORED = 'judoka.motionCorrections';
const MAX_KEPT = 60;

/** Joint of the character → joint of the motion, by their numbers; -1 for none. */
export type Follows = Readonly<Record<string, number>>;

const keyOf = (own: readonly string[], theirs: readonly string[]): string =>
  `${namesKey(own)} ${namesKey(theirs)}`;

/** Names as a short key (FNV-1a): only ever compared with keys made alike. */
function namesKey(names: readonly string[]): string {
  let hash = 0x811c9dc5;
  for (const letter of names.join('\n')) hash = Math.imul(hash ^ (letter.codePointAt(0) ?? 0), 0x01000193);
  return `${names.length}:${(hash >>> 0).toString(36)}`;
}

function kept(): [string, Corrections][] {
  try {
    const stored: unknown = JSON.parse(localStorage.getItem(STORED) ?? '[]');
    return Array.isArray(stored) ? (stored.filter(Array.isArray) as [string, Corrections][]) : [];
  } catch {
    return [];
  }
}

/** Keeps what a person has said of a motion's joints, for the next with the same names. */
export function rememberFollows(own: readonly string[], theirs: readonly string[], follows: Follows): void {
  const key = keyOf(own, theirs);
  const named = Object.fromEntries(
    Object.entries(follows).map(([joint, from]) => [own[Number(joint)], from < 0 ? null : theirs[from]]),
  );
  const others = kept().filter(([each]) => each !== key);
  const all = Object.keys(named).length > 0 ? [...others, [key, named] as const] : others;
  try {
    localStorage.setItem(STORED, JSON.stringify(all.slice(-MAX_KEPT)));
  } catch {
    // A browser that keeps nothing asks again the next time.
  }
}

/** What was said of joints with these names before. */
export function recallFollows(own: readonly string[], theirs: readonly string[]): Follows {
  const found = kept().find(([key]) => key === keyOf(own, theirs))?.[1] ?? {};
  const pairs = Object.entries(found).map(([name, from]): [string, number] => [
    String(own.indexOf(name)),
    from === null ? -1 : theirs.indexOf(from),
  ]);
  return Object.fromEntries(pairs.filter(([joint]) => joint !== '-1'));
}
