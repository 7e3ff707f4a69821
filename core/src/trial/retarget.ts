import { CoreError } from '../errors.ts';
import { skeletonOfBvh, type Bvh } from '../io/bvh.ts';
import { pairJoints, type JointPairs } from '../skeleton/pairs.ts';
import { findRoles, type Role, type Roles } from '../skeleton/roles.ts';
import {
  childrenOf,
  liveJoints,
  parentsFirst,
  restPlaces,
  restWorld,
  type Skeleton,
} from '../skeleton/skeleton.ts';
import type { Clip, Track } from './clip.ts';
import { bodyWays } from './motionRange.ts';
import {
  aboutAxis,
  conjugated,
  multiplied,
  rotated,
  turnBetween,
  turnOfAxes,
  unitOf,
  type Quat,
  type Vec,
} from './quaternion.ts';

/** Joint of the character → joint of the motion that it follows; -1 for none. */
export type MotionMap = Int32Array;

export interface RetargetSubject {
  readonly skeleton: Skeleton;
  readonly pairs: JointPairs;
}

/** Roles whose bones lead the same way in any rest pose, once it is brought to the motion's own. */
const LIMBS = ['upper arm', 'forearm', 'thigh', 'shin'] as const;
const NEXT: Readonly<Record<(typeof LIMBS)[number], 'forearm' | 'hand' | 'shin' | 'foot'>> = {
  'upper arm': 'forearm',
  forearm: 'hand',
  thigh: 'shin',
  shin: 'foot',
};

/**
 * Which joint of a motion each joint of a character follows: by role, chains spread over chains; else by name.
 *
 * @returns the map; all -1 where nothing fits
 */
export function mapMotion({ skeleton }: RetargetSubject, bvh: Pick<Bvh, 'joints'>): MotionMap {
  const source = skeletonOfBvh(bvh);
  const map: MotionMap = new Int32Array(skeleton.joints.length).fill(-1);
  const [own, theirs] = [findRoles(skeleton), findRoles(source)];
  for (const [role, joints] of own) {
    const from = theirs.get(role);
    if (!from) continue;
    joints.forEach((joint, i) => {
      const share = joints.length > 1 ? i / (joints.length - 1) : 1;
      map[joint] = from[Math.round(share * (from.length - 1))];
    });
  }
  const plain = (name: string): string =>
    name
      .replace(/^.*[:|]/, '')
      .toLowerCase()
      .replace(/[^a-z\d]/g, '');
  const byName = new Map(source.joints.map(({ name }, joint) => [plain(name), joint]));
  const taken = new Set(map);
  for (const joint of liveJoints(skeleton)) {
    const same = byName.get(plain(skeleton.joints[joint].name));
    if (map[joint] >= 0 || same === undefined || taken.has(same)) continue;
    map[joint] = same;
  }
  return map;
}

/**
 * Puts a motion onto a skeleton. Turns are carried over as the scene sees them, so that joints may have any frames of
 * their own; limbs are first brought from the character's rest pose to the motion's; the way of the hips is scaled by
 * the legs' length; feet are then put where the motion has them, scaled, by bending knee and hip (two-bone inverse
 * kinematics), so that they neither slide nor sink.
 *
 * @throws CoreError `argument-invalid` where no joint of the motion is mapped
 */
export function retargetMotion(subject: RetargetSubject, bvh: Bvh, map: MotionMap, name: string): Clip {
  if (map.every((joint) => joint < 0))
    throw new CoreError(
      'argument-invalid',
      'None of the motion’s joints is known on this character. Say in the table which follows which.',
    );
  return new Retarget(subject, bvh, map).run(name);
}

interface Leg {
  readonly thigh: number;
  readonly shin: number;
  readonly foot: number;
  /** Joint of the motion that the foot follows. */
  readonly from: number;
  readonly above: number;
  readonly upper: number;
  readonly lower: number;
}

class Retarget {
  readonly #skeleton: Skeleton;
  readonly #bvh: Bvh;
  readonly #map: MotionMap;
  readonly #source: SourcePoser;
  readonly #order: Uint16Array;
  readonly #roles: Roles;
  /** By joint: its turn at rest in the scene, and its offset's and rest's turns. */
  readonly #rest: Quat[];
  readonly #places: Float32Array;
  /** From the motion's ways (up, left, forward) to the character's; and so that it begins facing ahead. */
  readonly #basis: Quat;
  readonly #lead: Quat;
  /** By joint: from the character's rest pose to the motion's, in the scene. */
  readonly #align: Quat[];
  readonly #up: Vec;
  readonly #forward: Vec;
  readonly #legs: Leg[];
  readonly #scale: number;
  readonly #hips: number;

  constructor({ skeleton, pairs }: RetargetSubject, bvh: Bvh, map: MotionMap) {
    this.#skeleton = skeleton;
    this.#bvh = bvh;
    this.#map = map;
    this.#order = parentsFirst(skeleton);
    this.#source = new SourcePoser(bvh);
    this.#roles = findRoles(skeleton);
    const world = restWorld(skeleton);
    this.#rest = skeleton.joints.map((_, joint) => turnOfFrame(world, joint));
    this.#places = restPlaces(skeleton);
    const own = bodyWays(skeleton, this.#places, pairs, this.#roles);
    const theirs = this.#source.ways;
    const turn = ({ left, up, forward }: typeof own): Quat => turnOfAxes(left, up, forward);
    this.#basis = multiplied(turn(own), conjugated(turn(theirs)));
    this.#up = [...own.up] as Vec;
    this.#forward = [...own.forward] as Vec;
    this.#align = this.#alignments();
    this.#legs = this.#findLegs();
    this.#scale = this.#findScale();
    this.#lead = this.#facingAhead();
    const hips = this.#roles.get('hips')?.[0] ?? -1;
    this.#hips = hips >= 0 && map[hips] >= 0 ? hips : this.#highestMapped();
  }

  run(name: string): Clip {
    const { joints } = this.#skeleton;
    const { frames, frameSeconds } = this.#bvh;
    const mapped = [...this.#map.keys()].filter((joint) => this.#map[joint] >= 0 && !joints[joint].removed);
    const legs = this.#legs.flatMap(({ thigh, shin, foot }) => [thigh, shin, foot]);
    const moved = [...new Set([...mapped, ...legs])].sort((a, b) => a - b);
    const turns = new Map(moved.map((joint) => [joint, new Float32Array(frames * 4)]));
    const ways = new Float32Array(frames * 3);
    const poser = new TargetPoser(this.#skeleton, this.#order, this.#rest, this.#places);
    for (let frame = 0; frame < frames; frame++) {
      this.#source.pose(frame);
      const way = this.#wayOfHips();
      poser.begin(this.#hips, way);
      for (const joint of this.#order) {
        if (this.#map[joint] >= 0) poser.setTurn(joint, this.#turnOf(joint));
        else poser.follow(joint);
      }
      for (const leg of this.#legs) this.#placeFoot(poser, leg);
      for (const [joint, values] of turns) values.set(poser.localTurn(joint), frame * 4);
      ways.set(poser.localWay(this.#hips, way), frame * 3);
    }
    const times = Float32Array.from({ length: frames }, (_, frame) => frame * frameSeconds);
    const tracks = [...turns].map(([joint, values]): Track => ({
      joint,
      path: 'rotation',
      interpolation: 'LINEAR',
      times,
      values,
    }));
    const hips: Track = {
      joint: this.#hips,
      path: 'translation',
      interpolation: 'LINEAR',
      times,
      values: ways,
    };
    const rate = Math.max(1, Math.round(1 / frameSeconds));
    return { name, seconds: (frames - 1) * frameSeconds, rate, tracks: [...tracks, hips] };
  }

  /** The turn of a joint in the scene: what the motion's joint does away from rest, after alignment. */
  #turnOf(joint: number): Quat {
    const seen = multiplied(
      multiplied(this.#lead, this.#source.turnOf(this.#map[joint])),
      conjugated(this.#basis),
    );
    return multiplied(multiplied(seen, this.#align[joint]), this.#rest[joint]);
  }

  #wayOfHips(): Vec {
    const moved = rotated(this.#lead, this.#source.wayOfHips());
    return moved.map((x) => x * this.#scale) as Vec;
  }

  /** How far a direction of the scene is turned about up, from ahead, in radians. */
  #heading(way: Vec): number {
    const left = cross(this.#up, this.#forward);
    return Math.atan2(dot(way, left), dot(way, this.#forward));
  }

  #facingAhead(): Quat {
    this.#source.pose(0);
    const ahead = rotated(this.#basis, this.#source.ahead());
    return multiplied(aboutAxis(this.#up, -this.#heading(ahead)), this.#basis);
  }

  #highestMapped(): number {
    return [...this.#order].find((joint) => this.#map[joint] >= 0) ?? 0;
  }

  #alignments(): Quat[] {
    const { joints } = this.#skeleton;
    const align: Quat[] = joints.map(() => [0, 0, 0, 1]);
    for (const side of ['left', 'right'] as const) {
      for (const limb of LIMBS) {
        const [joint] = this.#roles.get(`${side} ${limb}` as Role) ?? [];
        const [next] = this.#roles.get(`${side} ${NEXT[limb]}` as Role) ?? [];
        if (joint === undefined || next === undefined || this.#map[joint] < 0) continue;
        const theirs = this.#source.boneOf(this.#map[joint], this.#map[next]);
        if (!theirs) continue;
        const own = [0, 1, 2].map((k) => this.#places[next * 3 + k] - this.#places[joint * 3 + k]);
        align[joint] = turnBetween(own, rotated(this.#basis, theirs));
        // A hand goes along with its forearm.
        if (limb === 'forearm') align[next] = align[joint];
      }
      // A foot goes along with the leg as a whole: knees that are bent at rest do not tip it.
      const [thigh, foot] = (['thigh', 'foot'] as const).map(
        (role) => this.#roles.get(`${side} ${role}`)?.[0],
      );
      if (thigh === undefined || foot === undefined || this.#map[thigh] < 0 || this.#map[foot] < 0) continue;
      const leg = this.#source.boneOf(this.#map[thigh], this.#map[foot]);
      const own = [0, 1, 2].map((k) => this.#places[foot * 3 + k] - this.#places[thigh * 3 + k]);
      if (leg) align[foot] = turnBetween(own, rotated(this.#basis, leg));
    }
    return align;
  }

  #findLegs(): Leg[] {
    return (['left', 'right'] as const).flatMap((side): Leg[] => {
      const [thigh, shin, foot] = (['thigh', 'shin', 'foot'] as const).map(
        (role) => this.#roles.get(`${side} ${role}`)?.[0] ?? -1,
      );
      if (thigh < 0 || shin < 0 || foot < 0 || this.#map[foot] < 0) return [];
      const far = (a: number, b: number): number =>
        Math.hypot(...[0, 1, 2].map((k) => this.#places[a * 3 + k] - this.#places[b * 3 + k]));
      return [
        {
          thigh,
          shin,
          foot,
          from: this.#map[foot],
          above: this.#map[thigh],
          upper: far(thigh, shin),
          lower: far(shin, foot),
        },
      ];
    });
  }

  /** The character's legs (or, without any, its height) in lengths of the motion's. */
  #findScale(): number {
    const legs = this.#legs.flatMap(({ upper, lower, above, from }) => {
      const theirs = this.#source.legLength(above, from);
      return theirs > 0 ? [(upper + lower) / theirs] : [];
    });
    if (legs.length > 0) return legs.reduce((sum, x) => sum + x, 0) / legs.length;
    const heights = liveJoints(this.#skeleton).map((joint) =>
      [0, 1, 2].reduce((sum, k) => sum + this.#up[k] * this.#places[joint * 3 + k], 0),
    );
    const tall = Math.max(...heights) - Math.min(...heights);
    return this.#source.height > 0 && tall > 0 ? tall / this.#source.height : 1;
  }

  /**
   * Where a foot's joint should be: above the ground as high as the motion's, scaled, and its own height at rest; from
   * the hips as far as the motion's, but for the breadth of the hips, which is the character's own.
   */
  #goalOf({ thigh, foot, from, above }: Leg): Vec {
    const at = (joint: number): Vec => [0, 1, 2].map((k) => this.#places[joint * 3 + k]) as Vec;
    const source = this.#source;
    const hips = at(this.#hips);
    const { along, height } = source.footFrom(from);
    const moved = rotated(this.#lead, along).map((x) => x * this.#scale);
    const theirs = above < 0 ? [0, 0, 0] : rotated(this.#basis, source.breadth(above));
    const breadth = minus(
      minus(at(thigh), hips),
      theirs.map((x) => x * this.#scale),
    );
    const turn = aboutAxis(this.#up, this.#heading(rotated(this.#lead, source.ahead())));
    const own = rotated(turn, level(breadth, this.#up));
    const low = dot(at(foot), this.#up);
    const flat = level(hips, this.#up);
    return flat.map((x, k) => x + moved[k] + own[k] + this.#up[k] * (low + this.#scale * height)) as Vec;
  }

  /** Bends knee and hip so that the foot's joint is where the motion has it. */
  #placeFoot(poser: TargetPoser, leg: Leg): void {
    const { thigh, shin, foot, upper, lower } = leg;
    const goal = this.#goalOf(leg);
    const hip = poser.placeOf(thigh);
    const toGoal = goal.map((x, k) => x - hip[k]);
    const least = Math.abs(upper - lower) * 1.001 + 1e-9;
    const far = Math.min((upper + lower) * 0.9995, Math.max(least, Math.hypot(...toGoal)));
    // 1. The knee's angle, in the plane in which it bends already.
    const knee = poser.placeOf(shin);
    const ankle = poser.placeOf(foot);
    const [a, b] = [unitOf(minus(hip, knee)), unitOf(minus(ankle, knee))];
    let axis = cross(a, b);
    if (Math.hypot(...axis) < 1e-3) {
      // A straight leg bends with the knee ahead.
      axis = cross(minus(ankle, hip), this.#forward).map((x) => -x) as Vec;
    }
    const now = Math.acos(clamp(a[0] * b[0] + a[1] * b[1] + a[2] * b[2]));
    const wanted = Math.acos(clamp((upper * upper + lower * lower - far * far) / (2 * upper * lower)));
    const footTurn = poser.turnOf(foot);
    const bend = aboutAxis(unitOf(axis), wanted - now);
    poser.turnOn(shin, bend);
    // 2. The whole leg toward the goal.
    const swing = turnBetween(minus(poser.placeOf(foot), hip), toGoal);
    poser.turnOn(thigh, swing);
    // 3. The foot as it was.
    poser.turnOn(foot, multiplied(footTurn, conjugated(poser.turnOf(foot))));
  }
}

const minus = (a: readonly number[], b: readonly number[]): Vec => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const cross = (a: readonly number[], b: readonly number[]): Vec => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
const dot = (a: readonly number[], b: readonly number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
/** A way without its height. */
const level = (a: readonly number[], up: Vec): Vec => a.map((x, k) => x - up[k] * dot(a, up)) as Vec;
const clamp = (x: number): number => Math.max(-1, Math.min(1, x));

/** The turn of a joint's frame in the scene, its scale left out. */
function turnOfFrame(world: Float32Array, joint: number): Quat {
  const column = (c: number): Vec =>
    unitOf([world[joint * 16 + c * 4], world[joint * 16 + c * 4 + 1], world[joint * 16 + c * 4 + 2]]);
  const [x, y] = [column(0), column(1)];
  const z = unitOf(cross(x, y));
  return turnOfAxes(x, cross(z, x), z);
}

/** Poses the motion's own skeleton, a frame at a time. */
class SourcePoser {
  readonly ways: ReturnType<typeof bodyWays>;
  readonly height: number;
  readonly #bvh: Bvh;
  readonly #places: Float32Array;
  readonly #first: Int32Array;
  readonly #width: number;
  readonly #turns: Quat[];
  readonly #now: Vec[];
  readonly #hips: number;
  readonly #roles: Roles;
  /** Where the hips are when the motion stands upright on its ground. */
  readonly #standing: Vec;
  readonly #groundHeight: number;

  constructor(bvh: Bvh) {
    this.#bvh = bvh;
    const skeleton = skeletonOfBvh(bvh);
    this.#places = restPlaces(skeleton);
    const size = Math.max(...[0, 1, 2].map((k) => spanOf(this.#places, k))) || 1;
    const roles = findRoles(skeleton);
    const pairs = pairJoints(skeleton, this.#places, 0.02 * size);
    this.ways = bodyWays(skeleton, this.#places, pairs, roles);
    this.#turns = bvh.joints.map(() => [0, 0, 0, 1]);
    this.#now = bvh.joints.map(() => [0, 0, 0]);
    this.#first = new Int32Array(bvh.joints.length);
    let width = 0;
    bvh.joints.forEach(({ channels }, joint) => {
      this.#first[joint] = width;
      width += channels.length;
    });
    this.#width = width;
    this.#roles = roles;
    const up = [...this.ways.up] as Vec;
    const lowest = this.#lowest(up);
    this.height = this.#highest(up) - lowest;
    this.#hips = roles.get('hips')?.[0] ?? 0;
    this.#groundHeight = this.#ground(up);
    this.pose(0);
    const begin = level(this.#now[this.#hips], up);
    const tall = this.#uprightHips(up) ?? dot(this.#restPlace(this.#hips), up) - lowest;
    this.#standing = begin.map((x, k) => x + up[k] * (this.#groundHeight + tall)) as Vec;
  }

  #restPlace(joint: number): Vec {
    return [this.#places[joint * 3], this.#places[joint * 3 + 1], this.#places[joint * 3 + 2]];
  }

  /** How high the hips are over the ground with straight legs; undefined without legs. */
  #uprightHips(up: Vec): number | undefined {
    const [thigh, foot] = (['left thigh', 'left foot'] as const).map(
      (role) => this.#roles.get(role)?.[0] ?? -1,
    );
    const length = this.legLength(thigh, foot);
    if (!(length > 0)) return undefined;
    const drop = dot(minus(this.#restPlace(this.#hips), this.#restPlace(thigh)), up);
    return drop + length + this.#ankleHeight(foot);
  }

  /** How high a foot's joint is over the lowest of what hangs on it, at rest. */
  #ankleHeight(foot: number): number {
    const up = [...this.ways.up] as Vec;
    let least = Infinity;
    this.#bvh.joints.forEach(({ end }, joint) => {
      for (let j = joint; j >= 0; j = this.#bvh.joints[j].parent) {
        if (j !== foot) continue;
        const at = dot(this.#restPlace(joint), up);
        least = Math.min(least, at, end ? at + dot(end, up) : at);
      }
    });
    return dot(this.#restPlace(foot), up) - least;
  }

  /** The height of the ground: where the body is lowest over the motion. */
  #ground(up: Vec): number {
    let least = Infinity;
    const step = Math.max(1, Math.floor(this.#bvh.frames / 200));
    for (let frame = 0; frame < this.#bvh.frames; frame += step) {
      this.pose(frame);
      this.#bvh.joints.forEach(({ end }, joint) => {
        const at = dot(this.#now[joint], up);
        least = Math.min(least, at);
        if (end) least = Math.min(least, at + dot(rotated(this.#turns[joint], end), up));
      });
    }
    return least;
  }

  #lowest(up: Vec): number {
    return Math.min(...this.#heights(up));
  }

  #highest(up: Vec): number {
    return Math.max(...this.#heights(up));
  }

  /** Of all joints and ends, at rest. */
  #heights(up: Vec): number[] {
    return this.#bvh.joints.flatMap(({ end }, joint) => {
      const at = dot(this.#restPlace(joint), up);
      return end ? [at, at + dot(end, up)] : [at];
    });
  }

  pose(frame: number): void {
    const { joints, values } = this.#bvh;
    for (let joint = 0; joint < joints.length; joint++) {
      const { parent, offset, channels } = joints[joint];
      let turn: Quat = [0, 0, 0, 1];
      const way: Vec = [offset[0], offset[1], offset[2]];
      let placed = false;
      for (let c = 0; c < channels.length; c++) {
        const value = values[frame * this.#width + this.#first[joint] + c];
        const axis = channels[c].charCodeAt(0) - 88;
        if (channels[c].endsWith('position')) {
          // A position stands instead of the offset.
          if (!placed) way.fill(0);
          placed = true;
          way[axis] = value;
        } else {
          const half = (value * Math.PI) / 360;
          const about: Quat = [0, 0, 0, Math.cos(half)];
          about[axis] = Math.sin(half);
          turn = multiplied(turn, about);
        }
      }
      if (parent < 0) {
        this.#turns[joint] = turn;
        this.#now[joint] = way;
      } else {
        const above = this.#turns[parent];
        const moved = rotated(above, way);
        const at = this.#now[parent];
        this.#turns[joint] = multiplied(above, turn);
        this.#now[joint] = [at[0] + moved[0], at[1] + moved[1], at[2] + moved[2]];
      }
    }
  }

  turnOf(joint: number): Quat {
    return this.#turns[joint];
  }

  /** How far the hips are from where they stand at rest. */
  wayOfHips(): Vec {
    return minus(this.#now[this.#hips], this.#standing);
  }

  /** Where the hips look. */
  ahead(): Vec {
    return rotated(this.#turns[this.#hips], this.ways.forward);
  }

  /** How far a foot's joint is from where the hips began, along the ground; and its height beyond that at rest. */
  footFrom(foot: number): { along: Vec; height: number } {
    const up = [...this.ways.up] as Vec;
    const height = dot(this.#now[foot], up) - this.#groundHeight - this.#ankleHeight(foot);
    return { along: level(minus(this.#now[foot], this.#standing), up), height };
  }

  /** How far a thigh begins beside the hips, at rest. */
  breadth(thigh: number): Vec {
    return minus(this.#restPlace(thigh), this.#restPlace(this.#hips));
  }

  /** The way from a joint to the next at rest; undefined where they are one. */
  boneOf(joint: number, next: number): Vec | undefined {
    const children = childrenOf(skeletonOfBvh(this.#bvh))[joint];
    const to = next >= 0 && next !== joint ? next : children[0];
    if (to === undefined) return this.#bvh.joints[joint].end as Vec | undefined;
    const way = [0, 1, 2].map((k) => this.#places[to * 3 + k] - this.#places[joint * 3 + k]) as Vec;
    return Math.hypot(...way) > 1e-9 ? way : undefined;
  }

  /** From a thigh down to a foot, along the bones. */
  legLength(thigh: number, foot: number): number {
    if (thigh < 0 || foot < 0) return 0;
    let sum = 0;
    for (let joint = foot; joint !== thigh; joint = this.#bvh.joints[joint].parent) {
      const { parent, offset } = this.#bvh.joints[joint];
      if (parent < 0) return 0;
      sum += Math.hypot(...offset);
    }
    return sum;
  }
}

function spanOf(places: Float32Array, k: number): number {
  let [least, most] = [Infinity, -Infinity];
  for (let i = k; i < places.length; i += 3) {
    least = Math.min(least, places[i]);
    most = Math.max(most, places[i]);
  }
  return most - least;
}

/** Poses the character by turns in the scene. */
class TargetPoser {
  readonly #joints: Skeleton['joints'];
  readonly #order: Uint16Array;
  /** Turn of a joint at rest as its parent sees it; and its place there. */
  readonly #local: Quat[];
  readonly #offsets: Vec[];
  readonly #turns: Quat[];
  readonly #places: Vec[];
  #lifted = -1;
  #way: Vec = [0, 0, 0];

  constructor(skeleton: Skeleton, order: Uint16Array, rest: readonly Quat[], places: Float32Array) {
    this.#joints = skeleton.joints;
    this.#order = order;
    const at = (joint: number): Vec => [places[joint * 3], places[joint * 3 + 1], places[joint * 3 + 2]];
    this.#local = this.#joints.map(({ parent }, joint) =>
      parent < 0 ? rest[joint] : multiplied(conjugated(rest[parent]), rest[joint]),
    );
    this.#offsets = this.#joints.map(({ parent }, joint) =>
      parent < 0 ? at(joint) : rotated(conjugated(rest[parent]), minus(at(joint), at(parent))),
    );
    this.#turns = this.#joints.map(() => [0, 0, 0, 1]);
    this.#places = this.#joints.map(() => [0, 0, 0]);
  }

  /** Begins a frame: one joint, and all below it, is moved by a way. */
  begin(lifted: number, way: Vec): void {
    this.#lifted = lifted;
    this.#way = way;
  }

  setTurn(joint: number, turn: Quat): void {
    this.#turns[joint] = turn;
    this.#place(joint);
  }

  follow(joint: number): void {
    const { parent } = this.#joints[joint];
    this.setTurn(
      joint,
      parent < 0 ? this.#local[joint] : multiplied(this.#turns[parent], this.#local[joint]),
    );
  }

  #place(joint: number): void {
    const { parent } = this.#joints[joint];
    const offset = this.#offsets[joint];
    const moved = parent < 0 ? offset : rotated(this.#turns[parent], offset);
    const from = parent < 0 ? [0, 0, 0] : this.#places[parent];
    const lift = joint === this.#lifted ? this.#way : [0, 0, 0];
    this.#places[joint] = [
      from[0] + moved[0] + lift[0],
      from[1] + moved[1] + lift[1],
      from[2] + moved[2] + lift[2],
    ];
  }

  turnOf(joint: number): Quat {
    return this.#turns[joint];
  }

  placeOf(joint: number): Vec {
    return this.#places[joint];
  }

  /** Turns a joint and all below it on, in the scene. */
  turnOn(joint: number, turn: Quat): void {
    const below = new Set([joint]);
    this.#turns[joint] = multiplied(turn, this.#turns[joint]);
    for (const each of this.#order) {
      if (!below.has(this.#joints[each].parent)) continue;
      below.add(each);
      this.#turns[each] = multiplied(turn, this.#turns[each]);
      this.#place(each);
    }
  }

  /** What a joint does after its own rest: see JointPose. */
  localTurn(joint: number): Quat {
    const { parent } = this.#joints[joint];
    const seen =
      parent < 0 ? this.#turns[joint] : multiplied(conjugated(this.#turns[parent]), this.#turns[joint]);
    return multiplied(conjugated(this.#local[joint]), seen);
  }

  /** A way in the scene as the node of a joint has it, in its parent's units. */
  localWay(joint: number, way: Vec): Vec {
    const { parent, offset } = this.#joints[joint];
    const turn = parent < 0 ? ([0, 0, 0, 1] as Quat) : this.#turns[parent];
    const inParent = rotated(conjugated(turn), way);
    // What stands between the joint and its parent may turn and scale.
    const scale = this.#parentScale(joint);
    const linear = [0, 1, 2].map((c) => [offset[c * 4], offset[c * 4 + 1], offset[c * 4 + 2]]);
    const size = linear.map((column) => Math.hypot(...column) || 1);
    return [0, 1, 2].map((c) => {
      const column = linear[c];
      return (
        (column[0] * inParent[0] + column[1] * inParent[1] + column[2] * inParent[2]) /
        (size[c] * size[c] * scale)
      );
    }) as Vec;
  }

  /** How long a unit of the parent is in the scene. */
  #parentScale(joint: number): number {
    let scale = 1;
    for (let j = this.#joints[joint].parent; j >= 0; j = this.#joints[j].parent) {
      const { scale: own, offset } = this.#joints[j];
      scale *= Math.cbrt(Math.abs(own[0] * own[1] * own[2])) || 1;
      scale *= Math.hypot(offset[0], offset[1], offset[2]) || 1;
    }
    return scale;
  }
}
