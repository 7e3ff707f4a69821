import { isNameTaken, type NameLimits } from '../../document/profiles.ts';
import { liveJoints, type Skeleton } from '../../skeleton/skeleton.ts';

/**
 * Names that a profile takes, for the joints whose names it does not: without what it has no letters for, in small letters or
 * with lines under for spaces where it wants that, and cut to its length; each once.
 *
 * @returns by joint; joints for which none was found are left out
 */
export function takenNames(skeleton: Skeleton, limits: NameLimits): Map<number, string> {
  const live = liveJoints(skeleton);
  const names = new Map<number, string>();
  const used = new Set(
    live.map((joint) => skeleton.joints[joint].name).filter((name) => isNameTaken(name, limits)),
  );
  for (const joint of live) {
    const { name } = skeleton.joints[joint];
    if (isNameTaken(name, limits)) continue;
    const found = candidatesOf(name)
      .flatMap((one) => numbered(one, limits.length))
      .find((one) => !used.has(one) && isNameTaken(one, limits));
    if (found === undefined) continue;
    names.set(joint, found);
    used.add(found);
  }
  return names;
}

/** The same name in other letters, from the nearest to the plainest. */
function candidatesOf(name: string): string[] {
  const bare = name.normalize('NFKD').replace(/\p{M}/gu, '');
  const last = bare.replace(/^.*[:|/]/, '');
  const plain = [bare, last].flatMap((one) => [
    one,
    one.replace(/[^A-Za-z0-9]+/g, '_'),
    one.replace(/[^A-Za-z0-9]/g, ''),
  ]);
  const spelled = plain.flatMap((one) => [one, one.replace(/([a-z0-9])([A-Z])/g, '$1_$2')]);
  const all = spelled.flatMap((one) => [
    one,
    one.toLowerCase(),
    one.toUpperCase(),
    `j_${one}`,
    `j_${one.toLowerCase()}`,
  ]);
  return [...new Set(all.map((one) => one.replace(/^_+|_+$/g, '')))].filter((one) => one !== '');
}

/** A name within a length, and with numbers behind it. */
function numbered(name: string, length: number): string[] {
  const cut = (one: string, end: string): string => {
    const letters = Array.from(one);
    return length > 0 ? letters.slice(0, Math.max(1, length - end.length)).join('') + end : one + end;
  };
  return [cut(name, ''), ...Array.from({ length: 99 }, (_, i) => cut(name, String(i + 2)))];
}
