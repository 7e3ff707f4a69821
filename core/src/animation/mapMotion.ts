import { ancestors, findRoles, wordsOfName, type Roles } from '../skeleton/roles.ts';
import { liveJoints, subtreeOf, type Skeleton } from '../skeleton/skeleton.ts';
import { type Bvh, skeletonOfBvh } from './bvhMotion.ts';

/** Joint of the character → joint of the motion that it follows; -1 for none. */
export type MotionMap = Int32Array;

/** Where a joint of a chain stands between two joints of the motion's chain, which has another count. */
export interface ChainPlace {
  /** Joints of the motion. */
  readonly from: number;
  readonly to: number;
  /** 0 at the former, 1 at the latter. */
  readonly share: number;
}

const FINGERS = ['thumb', 'index', 'middle', 'ring', 'little'] as const;
const FINGER_WORDS: Readonly<Record<string, (typeof FINGERS)[number]>> = {
  ...Object.fromEntries(FINGERS.map((finger) => [finger, finger])),
  pinky: 'little',
  pinkie: 'little',
  small: 'little',
};

/** Chains of a body, from where they begin outward, under one name for every skeleton. */
export function chainsOfBody(skeleton: Skeleton, roles: Roles): Map<string, readonly number[]> {
  const chains = new Map<string, readonly number[]>(roles);
  for (const side of ['left', 'right'] as const) {
    const hand = roles.get(`${side} hand`)?.at(0);
    if (hand === undefined) continue;
    for (const joint of subtreeOf(skeleton, hand)) {
      const word = wordsOfName(skeleton.joints[joint].name).find((each) => Object.hasOwn(FINGER_WORDS, each));
      const finger = word && FINGER_WORDS[word];
      if (!finger || joint === hand) continue;
      const name = `${side} ${finger}`;
      chains.set(name, [...(chains.get(name) ?? []), joint]);
    }
  }
  const depth = (joint: number): number => ancestors(skeleton, joint).length;
  return new Map(
    [...chains].map(([name, joints]) => [name, [...joints].sort((a, b) => depth(a) - depth(b))]),
  );
}

/**
 * Where each joint of the character's chains (spine, neck, tail, fingers, and every limb's single joints) stands along the
 * motion's: ends meet ends, what lies between is spread evenly, however many joints either has.
 */
export function spreadChains(skeleton: Skeleton, bvh: Pick<Bvh, 'joints'>): Map<number, ChainPlace> {
  const source = skeletonOfBvh(bvh);
  const [own, theirs] = [
    chainsOfBody(skeleton, findRoles(skeleton)),
    chainsOfBody(source, findRoles(source)),
  ];
  const places = new Map<number, ChainPlace>();
  for (const [name, joints] of own) {
    const chain = theirs.get(name);
    if (!chain) continue;
    const before = source.joints[chain[0]].parent;
    joints.forEach((joint, i) => {
      // The last of one is the last of the other; the first does its share of what the motion's first ones do.
      const at = ((i + 1) / joints.length) * chain.length - 1;
      const low = Math.floor(at + 1e-9);
      const from = low < 0 ? (before < 0 ? chain[0] : before) : chain[low];
      const to = chain[Math.min(chain.length - 1, low + 1)];
      places.set(joint, { from, to, share: at - low < 1e-9 ? 0 : at - low });
    });
  }
  return places;
}

/**
 * Which joint of a motion each joint of a character follows: by role, chains spread over chains; else by name.
 *
 * @returns the map; all -1 where nothing fits
 */
export function mapMotion(
  { skeleton }: { readonly skeleton: Skeleton },
  bvh: Pick<Bvh, 'joints'>,
): MotionMap {
  const map: MotionMap = new Int32Array(skeleton.joints.length).fill(-1);
  for (const [joint, place] of spreadChains(skeleton, bvh)) map[joint] = nearestOf(place);
  const plain = (name: string): string =>
    name
      .replace(/^.*[:|]/, '')
      .toLowerCase()
      .replace(/[^a-z\d]/g, '');
  const byName = new Map(bvh.joints.map(({ name }, joint) => [plain(name), joint]));
  const taken = new Set(map);
  for (const joint of liveJoints(skeleton)) {
    const same = byName.get(plain(skeleton.joints[joint].name));
    if (map[joint] >= 0 || same === undefined || taken.has(same)) continue;
    map[joint] = same;
  }
  return map;
}

/** The one joint of the motion that says most of what a place of a chain does. */
export const nearestOf = ({ from, to, share }: ChainPlace): number => (share === 0 ? from : to);
