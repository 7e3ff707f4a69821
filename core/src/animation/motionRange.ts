import { cross, dot, normalize, placeAt, scale, subtract, type Vec3 } from '../math/vector.ts';
import { quat, vec3 } from 'gl-matrix';
import { findChains } from '../skeleton/chains.ts';
import { type JointPairs, signOfLeft } from '../skeleton/pairs.ts';
import type { JointPose, Pose } from '../skeleton/pose.ts';
import { findRoles, roleOfJoint, wordsOfName } from '../skeleton/roles.ts';
import { childrenOf, restWorld, type Skeleton } from '../skeleton/skeleton.ts';

export const JOINT_KINDS = ['hinge', 'ball', 'chain', 'twist', 'general', 'fixed'] as const;
export type JointKind = (typeof JOINT_KINDS)[number];

export const TURNS = ['bend', 'side', 'twist'] as const;
/** The three turns of a joint: forward or inward (`bend`), sideways, about its own bone. */
export type Turn = (typeof TURNS)[number];

/** Least and greatest angle, in degrees; both 0 where it does not turn so. */
export type Limits = Readonly<Record<Turn, readonly [number, number]>>;
/** Angles, in degrees. */
export type Angles = Readonly<Record<Turn, number>>;

/** How a joint moves: what it is, about which axes, and how far. */
export interface MotionRange {
  readonly joint: number;
  readonly kind: JointKind;
  /** Unit axes in the joint's own frame at rest. A joint and its partner turn as in a mirror at the same angles. */
  readonly axes: Readonly<Record<Turn, Vec3>>;
  readonly limits: Limits;
}

const NO_LIMITS: Limits = { bend: [0, 0], side: [0, 0], twist: [0, 0] };
export const STILL_ANGLES: Angles = { bend: 0, side: 0, twist: 0 };

/** What a joint's name says of how it moves: the heading of its tip when it bends, and how far. */
interface Habit {
  readonly kind: JointKind;
  readonly bend: Heading;
  readonly side: Heading;
  readonly limits: Limits;
}
type Heading = 'forward' | 'back' | 'up' | 'down' | 'out';

const habit = (
  kind: JointKind,
  bend: Heading,
  side: Heading,
  bends: readonly [number, number],
  sides: readonly [number, number] = [0, 0],
  twists: readonly [number, number] = [0, 0],
): Habit => ({ kind, bend, side, limits: { bend: bends, side: sides, twist: twists } });

const HABITS: Readonly<Record<string, Habit>> = {
  shin: habit('hinge', 'back', 'out', [0, 120]),
  forearm: habit('hinge', 'forward', 'up', [0, 125]),
  finger: habit('hinge', 'down', 'forward', [-10, 80]),
  jaw: habit('hinge', 'down', 'out', [0, 28]),
  toes: habit('hinge', 'up', 'out', [-25, 45]),
  'upper arm': habit('ball', 'forward', 'up', [-40, 80], [-60, 60], [-50, 50]),
  collar: habit('ball', 'forward', 'up', [-15, 20], [-10, 30]),
  hand: habit('ball', 'down', 'forward', [-50, 60], [-20, 25], [-60, 60]),
  thigh: habit('ball', 'forward', 'out', [-30, 90], [-15, 50], [-35, 35]),
  foot: habit('ball', 'up', 'out', [-40, 25], [-15, 15], [-15, 15]),
  head: habit('ball', 'forward', 'out', [-40, 40], [-30, 30], [-60, 60]),
  neck: habit('ball', 'forward', 'out', [-35, 40], [-30, 30], [-50, 50]),
  spine: habit('ball', 'forward', 'out', [-15, 30], [-20, 20], [-25, 25]),
  hips: habit('ball', 'forward', 'out', [-15, 15], [-10, 10], [-20, 20]),
  link: habit('chain', 'forward', 'out', [-25, 25], [-25, 25], [-20, 20]),
  eye: habit('ball', 'up', 'out', [-25, 25], [-30, 30]),
  twist: habit('twist', 'forward', 'out', [0, 0], [0, 0], [-80, 80]),
  general: habit('general', 'forward', 'out', [-30, 30], [-20, 20], [-20, 20]),
};

/** Names that tell a habit where no role does. */
const NAMED: readonly (readonly [RegExp, string])[] = [
  [/twist|roll/, 'twist'],
  [/^(knee|shin|calf)$/, 'shin'],
  [/^(elbow|forearm)$/, 'forearm'],
  [/jaw|mandible|mouth/, 'jaw'],
  [/^toes?(base)?$/, 'toes'],
  [/^eyes?$/, 'eye'],
  [/^(wrist|hand|palm)$/, 'hand'],
  [/^(ankle|foot)$/, 'foot'],
  [/finger|thumb|index|middle|ring|pinky|pinkie|digit|claw/, 'finger'],
  [/neck/, 'neck'],
  [/spine|chest|torso|abdomen|waist/, 'spine'],
];

const MAX_POSES = 8;
/** Joints of a hinge by shape are bent at rest by at least this much, in degrees. */
const BENT = 12;

/**
 * How each joint of a skeleton moves: hinges, balls, chains and twists told by names and shape, with sensible limits;
 * generic where unknown; roots, and joints that move nothing, not at all. Axes of right and left mirror each other.
 *
 * @param places Float32Array, 3·jointCount: where joints stand at rest, in the scene
 * @param moves  whether a joint, or one below it, has weight
 * @param given  limits that a person has set, by joint
 * @param isFlat whether the character is a drawing: its joints turn in the page alone, as far to one side as to the other
 */
export function findMotionRanges(
  skeleton: Skeleton,
  places: Float32Array,
  pairs: Pick<JointPairs, 'partner' | 'axis' | 'middle'>,
  moves: (joint: number) => boolean,
  given: Readonly<Record<number, Limits>> = {},
  isFlat = false,
): MotionRange[] {
  const { joints } = skeleton;
  const world = restWorld(skeleton);
  const roles = findRoles(skeleton);
  const roleOf = roleOfJoint(roles);
  const chains = findChains(skeleton, places);
  const children = childrenOf(skeleton);
  const body = bodyDirections(skeleton, places, pairs, roles);
  return joints.flatMap(({ parent, removed, name }, joint): MotionRange[] => {
    if (removed) return [];
    const words = wordsOfName(name);
    const fixed = !moves(joint) || (parent < 0 && roleOf.get(joint) !== 'hips');
    const role = roleOf.get(joint)?.replace(/^(left|right) /, '');
    const isLink =
      (chains.ofJoint[joint] >= 0 && role !== 'head') ||
      role === 'tail' ||
      (role === 'neck' && manyOf(roles, 'neck'));
    const named = NAMED.find(([pattern]) => words.some((word) => pattern.test(word)))?.[1];
    const isFinger = named === 'finger' && role !== 'toes';
    const key = named === 'twist' || isFinger ? named : isLink ? 'link' : (role ?? named ?? 'general');
    const direction = boneDirection(places, children, parent, joint);
    const across = side(places, pairs, joint);
    let own = HABITS[key] ?? HABITS.general;
    let axes = axesOf(own, direction, body, across);
    const bent = key === 'general' ? bentAxis(places, children, parent, joint) : undefined;
    if (bent) {
      own = habit('hinge', 'forward', 'out', [-bent.angle, 110]);
      axes = { ...axes, bend: bent.axis };
    }
    if (isFlat) {
      axes = { ...axes, bend: PAGE };
      own = inPage(own);
    }
    const toFrame = frameInverse(world, joint);
    return [
      {
        joint,
        kind: fixed ? 'fixed' : own.kind,
        axes: mapAxes(axes, (axis) => vec3.transformQuat(vec3.create(), axis, toFrame)),
        limits: given[joint] ?? (fixed ? NO_LIMITS : own.limits),
      },
    ];
  });
}

/** Out of the page, toward whoever looks at it. */
const PAGE: Vec3 = [0, 0, 1];

/** Nobody can tell from a drawing which way a limb bends, so it does both ways. */
function inPage({ limits: { bend, side: sideways }, ...own }: Habit): Habit {
  const most = Math.max(...bend.map(Math.abs), ...sideways.map(Math.abs));
  return {
    ...own,
    kind: own.kind === 'chain' ? 'chain' : 'hinge',
    limits: { ...NO_LIMITS, bend: [-most, most] },
  };
}

const manyOf = (roles: ReturnType<typeof findRoles>, role: 'neck'): boolean =>
  (roles.get(role)?.length ?? 0) > 2;

interface BodyDirections {
  readonly up: Vec3;
  readonly left: Vec3;
  readonly forward: Vec3;
}

/** Which directions are up, left and forward for a body: by its sides, and by head over hips or hips over feet. */
export function bodyDirections(
  skeleton: Skeleton,
  places: Float32Array,
  pairs: Pick<JointPairs, 'axis' | 'middle'>,
  roles = findRoles(skeleton),
  givenUp?: Vec3,
): BodyDirections {
  const { axis } = pairs;
  const left: [number, number, number] = [0, 0, 0];
  left[axis] = signOfLeft(skeleton, places, pairs);
  const at = (joint: number | undefined): Vec3 | undefined =>
    joint === undefined ? undefined : [places[joint * 3], places[joint * 3 + 1], places[joint * 3 + 2]];
  const hips = at(roles.get('hips')?.[0]);
  const high = at(roles.get('head')?.[0] ?? roles.get('neck')?.at(-1) ?? roles.get('spine')?.at(-1));
  const foot = at(roles.get('left foot')?.[0]);
  const tall = hips && foot ? subtract(hips, foot) : high && hips ? subtract(high, hips) : undefined;
  const up: [number, number, number] = [0, 0, 0];
  const best = tall
    ? [0, 1, 2].filter((k) => k !== axis).sort((a, b) => Math.abs(tall[b]) - Math.abs(tall[a]))[0]
    : axis === 1
      ? 2
      : 1;
  up[best] = tall && tall[best] < 0 ? -1 : 1;
  // What leads across cannot lead up.
  if (givenUp && givenUp[axis] === 0) return { up: givenUp, left, forward: cross(left, givenUp) };
  return { up, left, forward: cross(left, up) };
}

const side = (
  places: Float32Array,
  { axis, middle }: Pick<JointPairs, 'axis' | 'middle'>,
  joint: number,
): number => places[joint * 3 + axis] - middle;

/** Where a joint's bone leads: to its children's middle, or on from its parent. */
function boneDirection(
  places: Float32Array,
  children: readonly number[][],
  parent: number,
  joint: number,
): Vec3 {
  const own = placeAt(places, joint);
  const next = children[joint];
  const to =
    next.length > 0
      ? ([0, 1, 2].map(
          (k) => next.reduce((sum, j) => sum + places[j * 3 + k], 0) / next.length,
        ) as unknown as Vec3)
      : own;
  const direction = subtract(to, own);
  if (Math.hypot(...direction) > 1e-9) return normalize(direction);
  return parent < 0 ? [0, 1, 0] : normalize(subtract(own, placeAt(places, parent)));
}

/** Axes in the scene: a bone that turns about `bend` by a little goes where the habit says. */
function axesOf(
  { bend, side: sideways }: Habit,
  direction: Vec3,
  body: BodyDirections,
  across: number,
): Record<Turn, Vec3> {
  // Which way the limb's own side is: what is called out goes there, and twists mirror.
  const hand = (across < 0 ? -1 : 1) * (dot(body.left, [1, 1, 1]) < 0 ? -1 : 1);
  const out = body.left.map((x) => x * hand) as unknown as Vec3;
  const headings: Readonly<Record<Heading, Vec3>> = {
    forward: body.forward,
    back: scale(body.forward, -1),
    up: body.up,
    down: scale(body.up, -1),
    out,
  };
  const bendAxis = axisToward(direction, headings[bend], [headings.forward, headings.down, headings.up, out]);
  const wanted = headings[sideways];
  const sideAxis = normalize(cross(direction, bendAxis));
  // Square to the bend, on the side that goes where it should.
  const goes = cross(sideAxis, direction);
  return {
    bend: bendAxis,
    side: dot(goes, wanted) < 0 ? scale(sideAxis, -1) : sideAxis,
    twist: scale(direction, hand),
  };
}

/** The axis about which a bone's tip takes a heading; of the others the first that lies across the bone, if that does not. */
function axisToward(direction: Vec3, heading: Vec3, others: readonly Vec3[]): Vec3 {
  for (const each of [heading, ...others]) {
    const axis = cross(direction, each);
    if (Math.hypot(...axis) > 0.35) return normalize(axis);
  }
  return normalize(cross(direction, Math.abs(direction[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0]));
}

/** The hinge of a joint that is bent at rest: about what it bends on, and by how much it is bent, in degrees. */
function bentAxis(
  places: Float32Array,
  children: readonly number[][],
  parent: number,
  joint: number,
): { axis: Vec3; angle: number } | undefined {
  if (parent < 0 || children[joint].length !== 1) return undefined;
  const before = subtract(placeAt(places, joint), placeAt(places, parent));
  const after = subtract(placeAt(places, children[joint][0]), placeAt(places, joint));
  const axis = cross(before, after);
  const sine = Math.hypot(...axis);
  const angle = (Math.atan2(sine, dot(before, after)) * 180) / Math.PI;
  return angle >= BENT && angle < 90 && sine > 1e-12
    ? { axis: normalize(axis), angle: Math.round(angle) }
    : undefined;
}

/** Turns to a joint's own frame. */
function frameInverse(world: Float32Array, joint: number): quat {
  const columns = [0, 1, 2].map((c) => {
    const o = joint * 16 + c * 4;
    return normalize([world[o], world[o + 1], world[o + 2]]);
  });
  const [x, y] = columns;
  // A mirrored frame turns as its own mirror image does.
  const z = cross(x, y);
  const turn = quat.fromMat3(quat.create(), [...x, ...cross(z, x), ...z]);
  return quat.conjugate(turn, quat.normalize(turn, turn));
}

function mapAxes(axes: Record<Turn, Vec3>, map: (axis: Vec3) => vec3): Record<Turn, Vec3> {
  const one = (axis: Vec3): Vec3 => normalize([...map(axis)]);
  return { bend: one(axes.bend), side: one(axes.side), twist: one(axes.twist) };
}

/** A joint turned by angles of its range: bent and sideways at once, after twisting about its bone. */
export function turnedBy(
  { axes }: Pick<MotionRange, 'axes'>,
  { bend, side: sideways, twist }: Angles,
): JointPose {
  const swing = [0, 1, 2].map((k) => axes.bend[k] * bend + axes.side[k] * sideways);
  const angle = Math.hypot(...swing);
  const q = quat.create();
  if (angle > 1e-9)
    quat.setAxisAngle(
      q,
      swing.map((x) => x / angle),
      (angle * Math.PI) / 180,
    );
  const about = quat.setAxisAngle(quat.create(), axes.twist, (twist * Math.PI) / 180);
  const [x, y, z, w] = quat.multiply(q, q, about);
  return { rotation: [x, y, z, w], translation: [0, 0, 0], scale: [1, 1, 1] };
}

/** A pose of one joint's range. */
export interface RangePose {
  readonly joint: number;
  readonly angles: Angles;
  readonly pose: Pose;
}

/** At most eight poses through a joint's range: the ends of each turn, and steps of the widest bend between. */
export function rangePoses(range: MotionRange): RangePose[] {
  const { bend, side: sideways, twist } = range.limits;
  const wanted: Angles[] = [];
  const put = (angles: Partial<Angles>): void => {
    const full = { ...STILL_ANGLES, ...angles };
    if (TURNS.some((turn) => Math.abs(full[turn]) >= 1)) wanted.push(full);
  };
  for (const share of [1, 2 / 3, 1 / 3]) put({ bend: Math.round(bend[1] * share) });
  put({ bend: bend[0] });
  for (const angle of [sideways[1], sideways[0]]) put({ side: angle });
  for (const angle of [twist[1], twist[0]]) put({ twist: angle });
  return wanted.slice(0, MAX_POSES).map((angles) => ({
    joint: range.joint,
    angles,
    pose: { [range.joint]: turnedBy(range, angles) },
  }));
}
