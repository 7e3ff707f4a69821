import { chainsOfBody } from '../../animation/mapMotion.ts';
import { findRoles, wordsOfName } from '../../skeleton/roles.ts';
import { liveJoints, sideOfName, type Skeleton } from '../../skeleton/skeleton.ts';

/** How a joint found its counterpart. */
export const MATCH_BASES = ['given', 'name', 'words', 'role', 'place', 'above', 'none'] as const;
export type MatchBasis = (typeof MATCH_BASES)[number];

export interface JointMatch {
  readonly source: number;
  /** The joint that gets its weight; -1 for none. */
  readonly target: number;
  readonly basis: MatchBasis;
  /** 0..1: how sure it is. */
  readonly sure: number;
}

/** Joints of two skeletons, with their places in one space where they are known in one. */
export interface MatchSide {
  readonly skeleton: Skeleton;
  /** Float32Array, 3·jointCount. */
  readonly places: Float32Array;
}

const SURE: Readonly<Record<MatchBasis, number>> = {
  given: 1,
  name: 1,
  words: 0.9,
  role: 0.75,
  place: 0.6,
  above: 0.3,
  none: 0,
};
/** How far apart joints of the same place may be, as a share of the skeleton's size. */
const PLACE_TOLERANCE = 0.03;

/**
 * Which joint of a character takes the weight of each joint of another: by name, in many spellings; by what it is in a body;
 * by place, once both stand in one; else what its parent goes to.
 *
 * @param given  counterparts that a person has set, by source joint; -1 for none
 * @param placed whether the places of both are in one space
 * @returns one a live source joint, rising
 */
export function matchJoints(
  source: MatchSide,
  target: MatchSide,
  given: ReadonlyMap<number, number> = new Map(),
  placed = false,
): JointMatch[] {
  const found = new Map<number, JointMatch>();
  const taken = new Set<number>();
  const put = (from: number, to: number, basis: MatchBasis): void => {
    if (found.has(from) || taken.has(to)) return;
    found.set(from, { source: from, target: to, basis, sure: SURE[basis] });
    // What a person sends to a joint does not keep its own counterpart away.
    if (to >= 0 && basis !== 'given') taken.add(to);
  };
  for (const [from, to] of given) put(from, to, 'given');
  for (const spell of [plainName, wordName]) {
    const byName = groupNames(target.skeleton, spell);
    for (const [name, own] of groupNames(source.skeleton, spell)) {
      const theirs = byName.get(name);
      // A name that several have tells nothing of one of them.
      if (theirs?.length === 1 && own.length === 1)
        put(own[0], theirs[0], spell === plainName ? 'name' : 'words');
    }
  }
  for (const [from, to] of rolePairs(source.skeleton, target.skeleton)) put(from, to, 'role');
  if (placed) for (const [from, to] of placePairs(source, target, found, taken)) put(from, to, 'place');
  return liveJoints(source.skeleton).map((joint) => found.get(joint) ?? above(source.skeleton, joint, found));
}

/** A name without namespace, case and what stands between its words. */
const plainName = (name: string): string =>
  name
    .replace(/^.*[:|]/, '')
    .toLowerCase()
    .replace(/[^\p{L}\d]/gu, '');

const NOISE = /^(bip|bone|joint|jnt|def|ctrl|bind|skin|b|j)$/;

/** The words of a name in any order, its side and its number: `LeftArm_02` and `arm.2.L` are the same. */
function wordName(name: string): string {
  const side = sideOfName(name);
  const words = wordsOfName(name).filter((word) => !/^(l|r|left|right)$/.test(word) && !NOISE.test(word));
  const numbers = (name.replace(/^.*[:|]/, '').match(/\d+/g) ?? []).map(Number);
  return words.length === 0 ? `?${name}` : [side, ...words.sort(), ...numbers].join(' ');
}

function groupNames(skeleton: Skeleton, spell: (name: string) => string): Map<string, number[]> {
  const groups = new Map<string, number[]>();
  for (const joint of liveJoints(skeleton)) {
    const name = spell(skeleton.joints[joint].name);
    const list = groups.get(name);
    if (list) list.push(joint);
    else groups.set(name, [joint]);
  }
  return groups;
}

/** Joints that are the same in a body; chains of other counts are spread over each other. */
function* rolePairs(source: Skeleton, target: Skeleton): Generator<[number, number]> {
  const [own, theirs] = [chainsOfBody(source, findRoles(source)), chainsOfBody(target, findRoles(target))];
  for (const [role, joints] of own) {
    const chain = theirs.get(role);
    if (!chain) continue;
    for (const [i, joint] of joints.entries()) {
      const at = joints.length === 1 ? 0 : Math.round((i / (joints.length - 1)) * (chain.length - 1));
      yield [joint, chain[at]];
    }
  }
}

/** Joints that stand in the same place, nearest first, of those that nothing else has matched. */
function placePairs(
  source: MatchSide,
  target: MatchSide,
  found: ReadonlyMap<number, JointMatch>,
  taken: ReadonlySet<number>,
): [number, number][] {
  const most = PLACE_TOLERANCE * extentOf(target);
  const pairs: { from: number; to: number; far: number }[] = [];
  for (const from of liveJoints(source.skeleton)) {
    if (found.has(from)) continue;
    const side = sideOfName(source.skeleton.joints[from].name);
    for (const to of liveJoints(target.skeleton)) {
      const other = sideOfName(target.skeleton.joints[to].name);
      if (taken.has(to) || (side !== 'middle' && other !== 'middle' && side !== other)) continue;
      const far = Math.hypot(
        ...[0, 1, 2].map((k) => source.places[from * 3 + k] - target.places[to * 3 + k]),
      );
      if (far <= most) pairs.push({ from, to, far });
    }
  }
  return pairs.sort((a, b) => a.far - b.far).map(({ from, to }) => [from, to]);
}

function extentOf({ skeleton, places }: MatchSide): number {
  const live = liveJoints(skeleton);
  return Math.max(
    0,
    ...[0, 1, 2].map((k) => {
      const along = live.map((joint) => places[joint * 3 + k]);
      return Math.max(...along) - Math.min(...along);
    }),
  );
}

/** What the nearest joint above goes to; if none above has a counterpart, nothing. */
function above(skeleton: Skeleton, joint: number, found: ReadonlyMap<number, JointMatch>): JointMatch {
  for (let up = skeleton.joints[joint].parent; up >= 0; up = skeleton.joints[up].parent) {
    const match = found.get(up);
    if (match && match.target >= 0)
      return { source: joint, target: match.target, basis: 'above', sure: SURE.above };
  }
  return { source: joint, target: -1, basis: 'none', sure: 0 };
}
