import { CoreError } from '../errors.ts';
import type { Bvh } from './bvhMotion.ts';
import { findRoles, type Role, type Roles } from '../skeleton/roles.ts';
import { liveJoints, parentsFirst, restPlaces, restWorld, type Skeleton } from '../skeleton/skeleton.ts';
import { carriersOf } from './carriers.ts';
import { slerp, type Clip, type Track } from './clip.ts';
import type { RetargetSubject } from './retargetSubject.ts';
import { nearestOf, spreadChains, type ChainPlace, type MotionMap } from './mapMotion.ts';
import { BvhPoser } from './bvhPoser.ts';
import { bodyDirections } from './motionRange.ts';
import {
  aboutAxis,
  clamp,
  conjugated,
  level,
  multiplied,
  rotated,
  turnBetween,
  turnOfAxes,
  type Quat,
  type Vec,
} from '../math/quaternion.ts';
import { cross, dot, subtract, normalize } from '../math/vector.ts';
import { TurnPoser } from './turnPoser.ts';

export interface RetargetOptions {
  /** Whether the body stays where it begins: its way over the ground is taken out, its swaying is not. */
  readonly inPlace?: boolean;
}

/** Roles whose bones lead the same direction in any rest pose, once it is brought to the motion's own. */
const LIMBS = ['upper arm', 'forearm', 'thigh', 'shin'] as const;
const NEXT: Readonly<Record<(typeof LIMBS)[number], 'forearm' | 'hand' | 'shin' | 'foot'>> = {
  'upper arm': 'forearm',
  forearm: 'hand',
  thigh: 'shin',
  shin: 'foot',
};

/**
 * Puts a motion onto a skeleton. Turns are carried over as the scene sees them, so that joints may have any frames of
 * their own; limbs are first brought from the character's rest pose to the motion's; the travel of the hips is scaled by
 * the legs' length, and taken by what carries legs and spine alike; feet are then put where the motion has them, scaled, by
 * bending knee and hip (two-bone inverse kinematics), so that they neither slide nor sink.
 *
 * @throws CoreError `argument-invalid` where no joint of the motion is mapped
 */
export function retargetMotion(
  subject: RetargetSubject,
  bvh: Bvh,
  map: MotionMap,
  name: string,
  options: RetargetOptions = {},
): Clip {
  if (map.every((joint) => joint < 0))
    throw new CoreError(
      'argument-invalid',
      'None of the motion’s joints is known on this character. Say in the table which follows which.',
    );
  return new Retarget(subject, bvh, map, options).run(name);
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
  /** By frame, where the foot points over the ground, in radians from ahead: the same as long as it stands. */
  headings: Float64Array;
}

class Retarget {
  readonly #skeleton: Skeleton;
  readonly #bvh: Bvh;
  readonly #map: MotionMap;
  readonly #source: BvhPoser;
  readonly #order: Uint16Array;
  readonly #roles: Roles;
  /** By joint: its turn at rest in the scene, and its offset's and rest's turns. */
  readonly #rest: Quat[];
  readonly #places: Float32Array;
  /** From the motion's directions (up, left, forward) to the character's; and so that it begins facing ahead. */
  readonly #basis: Quat;
  readonly #lead: Quat;
  /** By joint: from the character's rest pose to the motion's, in the scene. */
  readonly #align: Quat[];
  readonly #up: Vec;
  readonly #forward: Vec;
  readonly #legs: Leg[];
  readonly #scale: number;
  readonly #hips: number;
  /** Whether these are the body's hips: else only its travel is taken from there. */
  readonly #hasHips: boolean;
  /** What is carried along with the hips: in each tree of joints the lowest that carries all that deforms. */
  readonly #carriers: ReadonlySet<number>;
  readonly #chains: Map<number, ChainPlace>;
  /** By frame, three each: how far the body has gone over the ground; taken out where it is to stay in place. */
  readonly #way: Float32Array;

  constructor(
    { skeleton, pairs, weighted }: RetargetSubject,
    bvh: Bvh,
    map: MotionMap,
    { inPlace = false }: RetargetOptions,
  ) {
    this.#skeleton = skeleton;
    this.#bvh = bvh;
    this.#map = map;
    this.#order = parentsFirst(skeleton);
    this.#source = new BvhPoser(bvh);
    this.#roles = findRoles(skeleton);
    const world = restWorld(skeleton);
    this.#rest = skeleton.joints.map((_, joint) => turnOfFrame(world, joint));
    this.#places = restPlaces(skeleton);
    const own = bodyDirections(skeleton, this.#places, pairs, this.#roles);
    const theirs = this.#source.directions;
    const turn = ({ left, up, forward }: typeof own): Quat => turnOfAxes(left, up, forward);
    this.#basis = multiplied(turn(own), conjugated(turn(theirs)));
    this.#up = [...own.up] as Vec;
    this.#forward = [...own.forward] as Vec;
    this.#align = this.#alignments();
    this.#legs = this.#findLegs();
    this.#scale = this.#findScale();
    this.#lead = this.#facingAhead();
    for (const leg of this.#legs) leg.headings = this.#findHeadings(leg);
    const hips = this.#roles.get('hips')?.[0] ?? -1;
    this.#hasHips = hips >= 0 && map[hips] >= 0;
    this.#hips = this.#hasHips ? hips : this.#highestMapped();
    this.#chains = spreadChains(skeleton, bvh);
    const carried = (joint: number): boolean => (weighted ? weighted[joint] === 1 : map[joint] >= 0);
    this.#carriers = new Set(carriersOf(skeleton, this.#hips, carried));
    this.#way = inPlace ? this.#findWay() : new Float32Array(bvh.frames * 3);
  }

  run(name: string): Clip {
    const { joints } = this.#skeleton;
    const { frames, frameSeconds } = this.#bvh;
    const mapped = [...this.#map.keys()].filter((joint) => this.#map[joint] >= 0 && !joints[joint].removed);
    const legs = this.#legs.flatMap(({ thigh, shin, foot }) => [thigh, shin, foot]);
    const moved = [...new Set([...mapped, ...legs, ...this.#carriers])].sort((a, b) => a - b);
    const turns = new Map(moved.map((joint) => [joint, new Float32Array(frames * 4)]));
    const moves = new Map([...this.#carriers].map((joint) => [joint, new Float32Array(frames * 3)]));
    const poser = new TurnPoser(this.#skeleton, this.#order, this.#rest, this.#places);
    for (let frame = 0; frame < frames; frame++) {
      this.#pose(poser, frame);
      for (const [joint, values] of turns) values.set(poser.localTurn(joint), frame * 4);
      for (const [joint, values] of moves) values.set(poser.localMove(joint), frame * 3);
    }
    const times = Float32Array.from({ length: frames }, (_, frame) => frame * frameSeconds);
    const tracks = [...turns].map(([joint, values]): Track => ({
      joint,
      path: 'rotation',
      interpolation: 'LINEAR',
      times,
      values,
    }));
    const travels = [...moves].map(([joint, values]): Track => ({
      joint,
      path: 'translation',
      interpolation: 'LINEAR',
      times,
      values,
    }));
    const rate = Math.max(1, Math.round(1 / frameSeconds));
    return { name, seconds: (frames - 1) * frameSeconds, rate, tracks: [...tracks, ...travels] };
  }

  #pose(poser: TurnPoser, frame: number): void {
    this.#source.pose(frame);
    const way = [0, 1, 2].map((k) => this.#way[frame * 3 + k]);
    const travel = subtract(this.#travelOfHips(), way);
    this.#poseBody(poser, travel);
    const drop = Math.max(0, ...this.#legs.map((leg) => this.#shortOf(poser, leg, frame, way)));
    if (drop > 0) this.#poseBody(poser, travel.map((x, k) => x - drop * this.#up[k]) as Vec);
    for (const leg of this.#legs) this.#placeFoot(poser, leg, frame, way);
  }

  /**
   * Where a foot points, frame by frame. A foot that stands keeps its direction, for its place follows from it; between
   * two stands it turns evenly from one to the other.
   */
  #findHeadings({ from }: Leg): Float64Array {
    const { frames, frameSeconds } = this.#bvh;
    const source = this.#source;
    const still = STILL * source.height * frameSeconds;
    const found = new Float64Array(frames);
    const stands = new Uint8Array(frames);
    let before: Vec | undefined;
    for (let frame = 0; frame < frames; frame++) {
      source.pose(frame);
      const { along } = source.footFrom(from);
      if (before && Math.hypot(...subtract(along, before)) < still) stands[frame - 1] = stands[frame] = 1;
      before = along;
      const heading = this.#heading(rotated(this.#lead, source.footAhead(from)));
      // No jumps of a whole turn.
      const last = frame > 0 ? found[frame - 1] : heading;
      found[frame] = last + Math.atan2(Math.sin(heading - last), Math.cos(heading - last));
    }
    return steadied(found, stands);
  }

  /** How far the hips have to go down so that a leg reaches to where its foot stands; nothing for a foot in the air. */
  #shortOf(poser: TurnPoser, leg: Leg, frame: number, way: readonly number[]): number {
    const length = leg.upper + leg.lower;
    const above = subtract(poser.placeOf(leg.thigh), subtract(this.#goalOf(leg, frame), way));
    const height = dot(above, this.#up);
    const aside = Math.hypot(...level(above, this.#up));
    const reach = REACH * length;
    if (Math.hypot(height, aside) <= reach) return 0;
    const wanted = height - Math.sqrt(Math.max(0, reach * reach - aside * aside));
    const lifted = (this.#scale * this.#source.footFrom(leg.from).height) / length;
    const stands = 1 - clamp01((lifted - STANDS) / (LIFTED - STANDS));
    return stands * Math.max(0, Math.min(DEEPEST * length, wanted));
  }

  /** Hips and all that follows, as the motion turns them; legs as the motion has them too. */
  #poseBody(poser: TurnPoser, travel: Vec): void {
    const turnOfHips: Quat = this.#hasHips
      ? multiplied(this.#turnOf(this.#hips), conjugated(this.#rest[this.#hips]))
      : [0, 0, 0, 1];
    const restOf = (joint: number): Vec => [0, 1, 2].map((k) => this.#places[joint * 3 + k]) as Vec;
    const hips = restOf(this.#hips);
    for (const joint of this.#order) {
      if (this.#carriers.has(joint)) {
        // It is where the hips take it, as if all of the body's middle were one piece.
        const beside = rotated(turnOfHips, subtract(restOf(joint), hips));
        poser.put(joint, hips.map((x, k) => x + travel[k] + beside[k]) as Vec);
        if (this.#hasHips) {
          poser.setTurn(joint, multiplied(turnOfHips, this.#rest[joint]));
          continue;
        }
      }
      if (this.#map[joint] >= 0) poser.setTurn(joint, this.#turnOf(joint));
      else poser.follow(joint);
    }
  }

  /** The turn of a joint in the scene: what the motion's joint does away from rest, after alignment. */
  #turnOf(joint: number): Quat {
    const seen = multiplied(multiplied(this.#lead, this.#sourceTurn(joint)), conjugated(this.#basis));
    return multiplied(multiplied(seen, this.#align[joint]), this.#rest[joint]);
  }

  /** The turn that a joint follows: of its joint of the motion, or what lies between two along a chain. */
  #sourceTurn(joint: number): Quat {
    const place = this.#chains.get(joint);
    const from = this.#map[joint];
    if (!place || place.share === 0 || nearestOf(place) !== from) return this.#source.turnOf(from);
    return slerp(this.#source.turnOf(place.from), this.#source.turnOf(place.to), place.share) as Quat;
  }

  /** The way of the hips over the ground, smoothed over a second, in the character's scene. */
  #findWay(): Float32Array {
    const { frames, frameSeconds } = this.#bvh;
    const way = new Float32Array(frames * 3);
    for (let frame = 0; frame < frames; frame++) {
      this.#source.pose(frame);
      way.set(level(this.#travelOfHips(), this.#up), frame * 3);
    }
    return smoothed(way, Math.max(1, Math.round(SWAY_S / frameSeconds / 2)));
  }

  #travelOfHips(): Vec {
    const moved = rotated(this.#lead, this.#source.travelOfHips());
    return moved.map((x) => x * this.#scale) as Vec;
  }

  /** How far a direction of the scene is turned about up, from ahead, in radians. */
  #heading(travel: Vec): number {
    const left = cross(this.#up, this.#forward);
    return Math.atan2(dot(travel, left), dot(travel, this.#forward));
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
        const joint = this.#roles.get(`${side} ${limb}` as Role)?.at(0);
        const next = this.#roles.get(`${side} ${NEXT[limb]}` as Role)?.at(0);
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
          headings: new Float64Array(0),
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
  #goalOf({ thigh, foot, from, above, headings }: Leg, frame: number): Vec {
    const at = (joint: number): Vec => [0, 1, 2].map((k) => this.#places[joint * 3 + k]) as Vec;
    const source = this.#source;
    const hips = at(this.#hips);
    const { along, height } = source.footFrom(from);
    const moved = rotated(this.#lead, along).map((x) => x * this.#scale);
    const theirs = above < 0 ? [0, 0, 0] : rotated(this.#basis, source.breadth(above));
    const breadth = subtract(
      subtract(at(thigh), hips),
      theirs.map((x) => x * this.#scale),
    );
    const turn = aboutAxis(this.#up, headings[frame]);
    const own = rotated(turn, level(breadth, this.#up));
    const low = dot(at(foot), this.#up);
    const flat = level(hips, this.#up);
    return flat.map((x, k) => x + moved[k] + own[k] + this.#up[k] * (low + this.#scale * height)) as Vec;
  }

  /** Bends knee and hip so that the foot's joint is where the motion has it. */
  #placeFoot(poser: TurnPoser, leg: Leg, frame: number, way: readonly number[]): void {
    const { thigh, shin, foot, upper, lower } = leg;
    const goal = subtract(this.#goalOf(leg, frame), way);
    const hip = poser.placeOf(thigh);
    const toGoal = goal.map((x, k) => x - hip[k]);
    const least = Math.abs(upper - lower) * 1.001 + 1e-9;
    const far = Math.min((upper + lower) * REACH, Math.max(least, Math.hypot(...toGoal)));
    // 1. The knee's angle, in the plane in which it bends already.
    const knee = poser.placeOf(shin);
    const ankle = poser.placeOf(foot);
    const [a, b] = [normalize(subtract(hip, knee)), normalize(subtract(ankle, knee))];
    let axis = cross(a, b);
    if (Math.hypot(...axis) < 1e-3) {
      // A straight leg bends with the knee ahead.
      axis = cross(subtract(ankle, hip), this.#forward).map((x) => -x) as Vec;
    }
    const now = Math.acos(clamp(a[0] * b[0] + a[1] * b[1] + a[2] * b[2]));
    const wanted = Math.acos(clamp((upper * upper + lower * lower - far * far) / (2 * upper * lower)));
    const footTurn = poser.turnOf(foot);
    const bend = aboutAxis(normalize(axis), wanted - now);
    poser.turnOn(shin, bend);
    // 2. The whole leg toward the goal.
    const swing = turnBetween(subtract(poser.placeOf(foot), hip), toGoal);
    poser.turnOn(thigh, swing);
    // 3. The foot as it was.
    poser.turnOn(foot, multiplied(footTurn, conjugated(poser.turnOf(foot))));
  }
}

/** A leg reaches so much of its length: straight, its knee would bend either way. */
const REACH = 0.9995;
/** A foot stands up to this height over the ground, and is in the air from the other on, in lengths of the leg. */
const STANDS = 0.02;
const LIFTED = 0.1;
/** The hips go down by no more than this, in lengths of the leg. */
const DEEPEST = 0.35;
const clamp01 = (x: number): number => Math.min(1, Math.max(0, x));

/** Sways shorter than this are kept in place. */
const SWAY_S = 1;

/** A foot is still that goes over the ground by less than this in a second, in heights of the body. */
const STILL = 0.12;

/** Angles that are the mean of each run of frames in which something stands, and go evenly from one to the next. */
function steadied(angles: Float64Array, stands: Uint8Array): Float64Array {
  const result = angles.slice();
  let end = -1;
  for (let from = 0; from < angles.length; from++) {
    if (!stands[from]) continue;
    let to = from;
    while (to + 1 < angles.length && stands[to + 1]) to++;
    const mean = angles.subarray(from, to + 1).reduce((sum, x) => sum + x, 0) / (to + 1 - from);
    result.fill(mean, from, to + 1);
    for (let i = end + 1; i < from; i++)
      result[i] = end < 0 ? mean : result[end] + ((mean - result[end]) * (i - end)) / (from - end);
    end = to;
    from = to;
  }
  if (end >= 0) result.fill(result[end], end + 1);
  return result;
}

/** Vectors, three each, averaged over so many on either side; ends count as often as is needed. */
function smoothed(values: Float32Array, reach: number): Float32Array {
  const count = values.length / 3;
  const result = new Float32Array(values.length);
  for (let k = 0; k < 3; k++) {
    const sums = new Float64Array(count + 1);
    for (let i = 0; i < count; i++) sums[i + 1] = sums[i] + values[i * 3 + k];
    for (let i = 0; i < count; i++) {
      const [low, high] = [i - reach, i + reach];
      const before = Math.max(0, -low) * values[k];
      const behind = Math.max(0, high - count + 1) * values[(count - 1) * 3 + k];
      const within = sums[Math.min(count, high + 1)] - sums[Math.max(0, low)];
      result[i * 3 + k] = (before + within + behind) / (2 * reach + 1);
    }
  }
  return result;
}

/** The turn of a joint's frame in the scene, its scale left out. */
function turnOfFrame(world: Float32Array, joint: number): Quat {
  const column = (c: number): Vec =>
    normalize([world[joint * 16 + c * 4], world[joint * 16 + c * 4 + 1], world[joint * 16 + c * 4 + 2]]);
  const [x, y] = [column(0), column(1)];
  const z = normalize(cross(x, y));
  return turnOfAxes(x, cross(z, x), z);
}
