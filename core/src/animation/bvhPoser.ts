import type { Bvh } from './bvhMotion.ts';
import { skeletonOfBvh } from './bvhMotion.ts';
import { pairJoints } from '../skeleton/pairs.ts';
import { findRoles, type Roles } from '../skeleton/roles.ts';
import { childrenOf, restPlaces } from '../skeleton/skeleton.ts';
import { bodyDirections } from './motionRange.ts';
import { level, multiplied, rotated, type Quat, type Vec } from '../math/quaternion.ts';
import { dot, subtract } from '../math/vector.ts';

/** A foot points somewhere over the ground if so much of its direction does. */
const LEAST_AHEAD = 0.3;

/** Poses the motion's own skeleton, a frame at a time. */
export class BvhPoser {
  readonly directions: ReturnType<typeof bodyDirections>;
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
    this.directions = bodyDirections(skeleton, this.#places, pairs, roles);
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
    const up = [...this.directions.up] as Vec;
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
    const drop = dot(subtract(this.#restPlace(this.#hips), this.#restPlace(thigh)), up);
    return drop + length + this.#ankleHeight(foot);
  }

  /** How high a foot's joint is over the lowest of what hangs on it, at rest. */
  #ankleHeight(foot: number): number {
    const up = [...this.directions.up] as Vec;
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

  /** The height of the ground: where feet are lowest over the motion, or without feet whatever is. */
  #ground(up: Vec): number {
    const feet = (['left foot', 'right foot'] as const).flatMap((role) => this.#roles.get(role) ?? []);
    const heights = new Map(feet.map((foot) => [foot, this.#ankleHeight(foot)]));
    let least = Infinity;
    const step = Math.max(1, Math.floor(this.#bvh.frames / 400));
    for (let frame = 0; frame < this.#bvh.frames; frame += step) {
      this.pose(frame);
      for (const [foot, high] of heights) least = Math.min(least, dot(this.#now[foot], up) - high);
      if (feet.length > 0) continue;
      for (let joint = 0; joint < this.#now.length; joint++)
        least = Math.min(least, dot(this.#now[joint], up));
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
      const shift: Vec = [offset[0], offset[1], offset[2]];
      let placed = false;
      for (let c = 0; c < channels.length; c++) {
        const value = values[frame * this.#width + this.#first[joint] + c];
        const axis = channels[c].charCodeAt(0) - 88;
        if (channels[c].endsWith('position')) {
          // A position stands instead of the offset.
          if (!placed) shift.fill(0);
          placed = true;
          shift[axis] = value;
        } else {
          const half = (value * Math.PI) / 360;
          const about: Quat = [0, 0, 0, Math.cos(half)];
          about[axis] = Math.sin(half);
          turn = multiplied(turn, about);
        }
      }
      if (parent < 0) {
        this.#turns[joint] = turn;
        this.#now[joint] = shift;
      } else {
        const above = this.#turns[parent];
        const moved = rotated(above, shift);
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
  travelOfHips(): Vec {
    return subtract(this.#now[this.#hips], this.#standing);
  }

  /** Where the hips look. */
  ahead(): Vec {
    return rotated(this.#turns[this.#hips], this.directions.forward);
  }

  /** Where a foot points over the ground; where the hips look while it points up or down. */
  footAhead(foot: number): Vec {
    const up = [...this.directions.up] as Vec;
    const ahead = level(rotated(this.#turns[foot], this.directions.forward), up);
    return Math.hypot(...ahead) > LEAST_AHEAD ? ahead : this.ahead();
  }

  /** How far a foot's joint is from where the hips began, along the ground; and its height beyond that at rest. */
  footFrom(foot: number): { along: Vec; height: number } {
    const up = [...this.directions.up] as Vec;
    const height = dot(this.#now[foot], up) - this.#groundHeight - this.#ankleHeight(foot);
    return { along: level(subtract(this.#now[foot], this.#standing), up), height };
  }

  /** How far a thigh begins beside the hips, at rest. */
  breadth(thigh: number): Vec {
    return subtract(this.#restPlace(thigh), this.#restPlace(this.#hips));
  }

  /** The way from a joint to the next at rest; undefined where they are one. */
  boneOf(joint: number, next: number): Vec | undefined {
    const children = childrenOf(skeletonOfBvh(this.#bvh))[joint];
    const to = next >= 0 && next !== joint ? next : children.at(0);
    if (to === undefined) return this.#bvh.joints[joint].end as Vec | undefined;
    const direction = [0, 1, 2].map((k) => this.#places[to * 3 + k] - this.#places[joint * 3 + k]) as Vec;
    return Math.hypot(...direction) > 1e-9 ? direction : undefined;
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
