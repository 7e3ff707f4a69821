import { childrenOf, liveJoints, sideOfName, type Skeleton } from './skeleton.ts';

/** What a joint is in a body with two legs: one of the middle, or of a side (`left thigh`). */
export const MIDDLE_ROLES = ['hips', 'spine', 'neck', 'head', 'jaw', 'tail'] as const;
export const SIDE_ROLES = [
  'collar',
  'upper arm',
  'forearm',
  'hand',
  'thigh',
  'shin',
  'foot',
  'toes',
] as const;
export type MiddleRole = (typeof MIDDLE_ROLES)[number];
export type SideRole = (typeof SIDE_ROLES)[number];
export type Role = MiddleRole | `${'left' | 'right'} ${SideRole}`;

/** Joints by role, from the hips outward; spine, neck and tail may have several, the others have one. */
export type Roles = ReadonlyMap<Role, readonly number[]>;

/** A name in words: `mixin:LeftUpLeg_02` → left up leg. */
export function wordsOfName(name: string): string[] {
  return name
    .replace(/^.*[:|]/, '')
    .replace(/([a-z\d])([A-Z])/g, '$1 $2')
    .replace(/([A-Z])([A-Z][a-z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^a-z]+/)
    .filter((word) => word.length > 0);
}

/** A name without spaces, side and numbers, as roles are told by. */
function stemOf(name: string): string {
  return wordsOfName(name)
    .filter((word) => !/^(l|r|left|right|bip|bone|joint|jnt|def|ctrl|b|j)$/.test(word))
    .join('');
}

const LEG: readonly (readonly [SideRole, RegExp])[] = [
  ['toes', /^(toe|toes|toebase|ball|toemiddle|toemid)$/],
  ['foot', /^(foot|ankle|hoof|paw|tarsus)$/],
  ['shin', /^(shin|calf|knee|lowerleg|lowleg|leglower|leglow|tibia|leg)$/],
  ['thigh', /^(thigh|upleg|upperleg|legupper|legup|femur|hip|hipjoint)$/],
];
const ARM: readonly (readonly [SideRole, RegExp])[] = [
  ['hand', /^(hand|wrist|palm)$/],
  ['forearm', /^(forearm|lowerarm|lowarm|armlower|armlow|elbow|radius|ulna)$/],
  ['upper arm', /^(upperarm|uparm|armupper|armup|humerus|shldr|arm|shoulder|flipper|wing)$/],
  ['collar', /^(collar|clavicle|scapula|shoulder)$/],
];

/**
 * Finds the roles of a skeleton's joints by their names, in the spellings that files use, and by what hangs on what:
 * names of bones (thigh, shin) and of joints (hip, knee) alike.
 */
export function findRoles(skeleton: Skeleton): Roles {
  const { joints } = skeleton;
  const roles = new Map<Role, number[]>();
  const live = liveJoints(skeleton);
  const stems = new Map(live.map((joint) => [joint, stemOf(joints[joint].name)]));
  for (const side of ['left', 'right'] as const) {
    const own = live.filter((joint) => sideOfName(joints[joint].name) === side);
    for (const limb of [LEG, ARM]) {
      for (const [role, joint] of limbOf(skeleton, own, stems, limb)) roles.set(`${side} ${role}`, [joint]);
    }
  }
  findMiddle(skeleton, live, stems, roles);
  return roles;
}

/** A limb's joints, from its end to where it begins: each must hang below the next. */
function limbOf(
  skeleton: Skeleton,
  own: readonly number[],
  stems: ReadonlyMap<number, string>,
  limb: readonly (readonly [SideRole, RegExp])[],
): Map<SideRole, number> {
  const found = new Map<SideRole, number>();
  const matching = (pattern: RegExp): number[] => own.filter((joint) => pattern.test(stems.get(joint) ?? ''));
  // From the body outward, so that of `shoulder, arm` the first is the collar, of `shoulder, elbow` the upper arm.
  const outward = [...limb].reverse();
  const depth = (joint: number): number => ancestors(skeleton, joint).length;
  const middle = limb === LEG ? (['shin'] as const) : (['forearm'] as const);
  const pivot = matching(limb.find(([role]) => role === middle[0])?.[1] ?? /^$/);
  const upper = limb === LEG ? 'thigh' : 'upper arm';
  const upperPattern = limb.find(([role]) => role === upper)?.[1] ?? /^$/;
  // `leg` and `arm` alone mean the upper bone where nothing is called shin or forearm below them.
  for (const joint of pivot.length > 0 ? pivot : [-1]) {
    const line = joint < 0 ? own : ancestors(skeleton, joint);
    const above = line.filter((j) => own.includes(j) && upperPattern.test(stems.get(j) ?? ''));
    if (joint >= 0 && above.length === 0) continue;
    if (joint >= 0) found.set(middle[0], joint);
    // The nearest above is the limb; a farther one is its collar.
    if (above.length > 0) found.set(upper, above[0]);
    break;
  }
  for (const [role, pattern] of outward) {
    if (found.has(role)) continue;
    const fits = matching(pattern).filter((joint) => ![...found.values()].includes(joint));
    const above = found.get(role === 'collar' ? upper : role === 'toes' ? endOf(limb) : middle[0]);
    const right = fits.filter((joint) => {
      if (above === undefined) return true;
      return role === 'collar'
        ? ancestors(skeleton, above).includes(joint)
        : ancestors(skeleton, joint).includes(above);
    });
    right.sort((a, b) => depth(a) - depth(b) || a - b);
    if (right.length > 0) found.set(role, right[0]);
  }
  // Birds and beasts: what is called foot below a foot (an ankle) is where the toes hang.
  const foot = found.get('foot');
  if (limb === LEG && foot !== undefined && !found.has('toes')) {
    const next = matching(/^foot$/).find(
      (joint) => joint !== foot && ancestors(skeleton, joint).includes(foot),
    );
    if (next !== undefined) found.set('toes', next);
  }
  return found;
}

const endOf = (limb: readonly (readonly [SideRole, RegExp])[]): SideRole => (limb === LEG ? 'foot' : 'hand');

/** The joints above one, nearest first. */
export function ancestors({ joints }: Skeleton, joint: number): number[] {
  const above: number[] = [];
  for (let j = joints[joint].parent; j >= 0; j = joints[j].parent) above.push(j);
  return above;
}

function findMiddle(
  skeleton: Skeleton,
  live: readonly number[],
  stems: ReadonlyMap<number, string>,
  roles: Map<Role, number[]>,
): void {
  const { joints } = skeleton;
  const isMiddle = (joint: number): boolean => sideOfName(joints[joint].name) === 'middle';
  const find = (pattern: RegExp): number | undefined =>
    live.find((joint) => isMiddle(joint) && pattern.test(stems.get(joint) ?? ''));
  const meeting = (role: SideRole): number | undefined => {
    const [l, r] = [roles.get(`left ${role}`)?.[0], roles.get(`right ${role}`)?.[0]];
    if (l === undefined || r === undefined) return undefined;
    const above = ancestors(skeleton, l);
    return ancestors(skeleton, r).find((joint) => above.includes(joint));
  };
  const hips = find(/^(hips?|pelvis|cog|waist)$/) ?? meeting('thigh');
  const chest = meeting('collar') ?? meeting('upper arm');
  const head = find(/^head$/) ?? carrierOfFace(skeleton, live, chest);
  if (hips !== undefined) roles.set('hips', [hips]);
  if (head !== undefined) roles.set('head', [head]);
  // Legs and spine may hang on different branches: then the spine begins below where these meet.
  const aboveHips = hips === undefined ? [] : [hips, ...ancestors(skeleton, hips)];
  const line = head === undefined ? [] : ancestors(skeleton, head).reverse();
  const from = Math.max(-1, ...aboveHips.map((joint) => line.indexOf(joint)));
  const to = chest === undefined ? -1 : line.indexOf(chest);
  const isNeck = (joint: number): boolean => /neck/.test(stems.get(joint) ?? '');
  if (head !== undefined && to >= 0) {
    const spine = line.slice(from + 1, to + 1).filter((joint) => !isNeck(joint) && hips !== undefined);
    const neck = line.filter((joint, i) => isNeck(joint) || i > to);
    if (spine.length > 0) roles.set('spine', spine);
    if (neck.length > 0) roles.set('neck', neck);
  } else if (hips !== undefined && chest !== undefined) {
    const spine = [chest, ...ancestors(skeleton, chest)].reverse();
    roles.set('spine', spine.slice(Math.max(...aboveHips.map((joint) => spine.indexOf(joint))) + 1));
  }
  const jaw = find(/^(jaw|mandible|beaklower|lowerbeak|lowerjaw|jawlower)$/);
  if (jaw !== undefined) roles.set('jaw', [jaw]);
  const children = childrenOf(skeleton);
  const first = find(/^tail$/);
  if (first !== undefined) {
    const tail = [first];
    for (let next = first; children[next].length === 1;) tail.push((next = children[next][0]));
    roles.set('tail', tail);
  }
}

const FACE = /^(jaw|mandible|eye|brow|lid|lip|mouth|cheek|nose|nostril|beak|muzzle|ear|tongue)s?$/;

/** Where nothing is called a head: the lowest joint above the chest that carries what a face has. */
function carrierOfFace(
  skeleton: Skeleton,
  live: readonly number[],
  chest: number | undefined,
): number | undefined {
  if (chest === undefined) return undefined;
  const lines = live
    .filter((joint) => wordsOfName(skeleton.joints[joint].name).some((word) => FACE.test(word)))
    .map((joint) => ancestors(skeleton, joint))
    .filter((line) => line.includes(chest));
  if (lines.length < 2) return undefined;
  const carrier = lines[0].find((joint) => lines.every((line) => line.includes(joint)));
  return carrier === chest ? undefined : carrier;
}

/** Joint → its role. */
export function roleOfJoint(roles: Roles): Map<number, Role> {
  return new Map([...roles].flatMap(([role, joints]) => joints.map((joint) => [joint, role] as const)));
}
