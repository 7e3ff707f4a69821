import type { Bvh, BvhJoint } from './bvhMotion.ts';
import { aboutAxis, multiplied, rotated, type Quat, type Vec } from '../math/quaternion.ts';
import type { Vec3 } from '../math/vector.ts';

/** Turns about x (forward), y (left) and z, in degrees; of the body's own frame: x to the left, y up, z ahead. */
/** What the joints do at a phase 0..1; a joint that is missing is at rest. */
type Motion = (phase: number) => Readonly<Record<string, Vec3>>;

const RATE = 30;

/** The body that the shelf's motions are made for: arms stretched out, in centimetres. */
const BODY: readonly (readonly [string, string, Vec, Vec?])[] = [
  ['Hips', '', [0, 94, 0]],
  ['Spine', 'Hips', [0, 11, 0]],
  ['Chest', 'Spine', [0, 22, 0]],
  ['Neck', 'Chest', [0, 24, 1]],
  ['Head', 'Neck', [0, 11, 1], [0, 20, 1]],
  ...(['Left', 'Right'] as const).flatMap((side): (readonly [string, string, Vec, Vec?])[] => {
    const s = side === 'Left' ? 1 : -1;
    return [
      [`${side}Collar`, 'Chest', [4 * s, 20, 0]],
      [`${side}UpperArm`, `${side}Collar`, [13 * s, 0, 0]],
      [`${side}Forearm`, `${side}UpperArm`, [28 * s, 0, 0]],
      [`${side}Hand`, `${side}Forearm`, [25 * s, 0, 0], [17 * s, 0, 0]],
      [`${side}Thigh`, 'Hips', [9 * s, -3, 0]],
      [`${side}Shin`, `${side}Thigh`, [0, -42, 0]],
      [`${side}Foot`, `${side}Shin`, [0, -42, -1]],
      [`${side}Toes`, `${side}Foot`, [0, -5, 14], [0, -2, 7]],
    ];
  }),
];

const wave = (phase: number, shift = 0): number => Math.sin(2 * Math.PI * (phase + shift));
/** 0 at both ends, 1 in the middle, level for a while. */
const held = (phase: number, rise = 0.3): number => {
  const t = Math.min(1, Math.min(phase, 1 - phase) / rise);
  return t * t * (3 - 2 * t);
};
/** Arms hang by the sides. */
const ARMS_DOWN: Readonly<Record<string, Vec3>> = {
  LeftUpperArm: [0, 0, -74],
  RightUpperArm: [0, 0, 74],
  LeftForearm: [0, -14, 0],
  RightForearm: [0, 14, 0],
};

/** Two steps: the stretched leg swings back while the other is lifted ahead. */
function walk(phase: number): Readonly<Record<string, Vec3>> {
  const turns: Record<string, Vec3> = {
    ...ARMS_DOWN,
    Hips: [2, 5 * wave(phase), 2 * wave(phase, 0.25)],
    Spine: [2, -4 * wave(phase), -2 * wave(phase, 0.25)],
    Chest: [1, -7 * wave(phase), 0],
    Head: [-3, 5 * wave(phase), 0],
  };
  for (const [side, shift, s] of [
    ['Left', 0, 1],
    ['Right', 0.5, -1],
  ] as const) {
    const swing = wave(phase, shift);
    const lift = Math.max(0, wave(phase, shift + 0.25 - 0.12));
    turns[`${side}Thigh`] = [-24 * swing - 14 * lift, 0, 0];
    turns[`${side}Shin`] = [7 + 52 * lift, 0, 0];
    turns[`${side}Foot`] = [24 * swing * 0.6 - 7 - 16 * lift, 0, 0];
    turns[`${side}UpperArm`] = [26 * swing, 0, -74 * s];
    turns[`${side}Forearm`] = [0, -s * (22 - 10 * swing), 0];
  }
  return turns;
}

function bow(phase: number): Readonly<Record<string, Vec3>> {
  const down = held(phase, 0.4);
  return {
    ...ARMS_DOWN,
    Hips: [22 * down, 0, 0],
    Spine: [18 * down, 0, 0],
    Chest: [16 * down, 0, 0],
    Neck: [12 * down, 0, 0],
    Head: [14 * down, 0, 0],
    LeftUpperArm: [-30 * down, 0, -74],
    RightUpperArm: [-30 * down, 0, 74 - 30 * down],
    RightForearm: [0, 14 + 70 * down, 0],
    LeftThigh: [-28 * down, 0, 0],
    RightThigh: [-28 * down, 0, 0],
    LeftShin: [9 * down, 0, 0],
    RightShin: [9 * down, 0, 0],
    LeftFoot: [-3 * down, 0, 0],
    RightFoot: [-3 * down, 0, 0],
  };
}

function waveHand(phase: number): Readonly<Record<string, Vec3>> {
  const up = held(phase, 0.22);
  const swing = wave(3 * phase) * up;
  return {
    ...ARMS_DOWN,
    Chest: [0, 6 * up, -5 * up],
    Head: [0, 8 * up, 6 * up],
    LeftCollar: [0, 0, 16 * up],
    LeftUpperArm: [0, -10 * up, -74 + 100 * up],
    LeftForearm: [0, -14 * (1 - up), 52 * up + 26 * swing],
    LeftHand: [0, 0, 18 * swing],
  };
}

function crouch(phase: number): Readonly<Record<string, Vec3>> {
  const down = held(phase, 0.42);
  const leg = (part: string): Vec3 =>
    part === 'Thigh' ? [-88 * down, 0, 0] : part === 'Shin' ? [118 * down, 0, 0] : [-42 * down, 0, 0];
  return {
    ...ARMS_DOWN,
    Hips: [12 * down, 0, 0],
    Spine: [20 * down, 0, 0],
    Chest: [16 * down, 0, 0],
    Head: [-26 * down, 0, 0],
    LeftUpperArm: [-48 * down, 0, -74],
    RightUpperArm: [-48 * down, 0, 74],
    ...Object.fromEntries(
      ['Left', 'Right'].flatMap((side) =>
        ['Thigh', 'Shin', 'Foot'].map((part) => [`${side}${part}`, leg(part)] as const),
      ),
    ),
  };
}

function lookAbout(phase: number): Readonly<Record<string, Vec3>> {
  const turn = wave(phase) * held(phase, 0.15);
  const nod = wave(2 * phase, 0.25) * held(phase, 0.15);
  return {
    ...ARMS_DOWN,
    Hips: [0, 6 * turn, 0],
    Spine: [0, 12 * turn, 0],
    Chest: [0, 16 * turn, 3 * turn],
    Neck: [6 * nod, 22 * turn, 0],
    Head: [12 * nod, 30 * turn, -6 * turn],
    LeftThigh: [0, -6 * turn, 0],
    RightThigh: [0, -6 * turn, 0],
  };
}

/** Hand over hand on a rope: the arms pull in turn, the trunk leans and twists. */
function haul(phase: number): Readonly<Record<string, Vec3>> {
  const turns: Record<string, Vec3> = {
    Hips: [14, 12 * wave(phase), 0],
    Spine: [10, 10 * wave(phase), 0],
    Chest: [6, 14 * wave(phase), 0],
    Neck: [-10, -12 * wave(phase), 0],
    Head: [-12, -16 * wave(phase), 0],
  };
  for (const [side, shift, s] of [
    ['Left', 0, 1],
    ['Right', 0.5, -1],
  ] as const) {
    const pull = 0.5 + 0.5 * wave(phase, shift);
    turns[`${side}UpperArm`] = [0, -s * (78 - 62 * pull), -s * (10 + 34 * pull)];
    turns[`${side}Forearm`] = [0, -s * (16 + 86 * pull), 0];
    turns[`${side}Thigh`] = [-26 - 8 * s, 0, 0];
    turns[`${side}Shin`] = [34, 0, 0];
    turns[`${side}Foot`] = [-22 + 8 * s, 0, 0];
  }
  return turns;
}

const MOTIONS: Readonly<Record<string, { readonly seconds: number; readonly motion: Motion }>> = {
  Walk: { seconds: 2.4, motion: (phase) => walk((2 * phase) % 1) },
  Bow: { seconds: 3, motion: bow },
  Wave: { seconds: 3, motion: waveHand },
  Crouch: { seconds: 2.6, motion: crouch },
  'Look about': { seconds: 4, motion: lookAbout },
};

/** Names of the motions that come with the program. */
export const SHELF_MOTIONS: readonly string[] = Object.keys(MOTIONS);

/** A motion of the shelf, for any skeleton with two legs. @throws RangeError for a name that is not there */
export function shelfMotion(name: string): Bvh {
  const found = Object.hasOwn(MOTIONS, name) ? MOTIONS[name] : undefined;
  if (!found) throw new RangeError(`There is no motion “${name}” on the shelf.`);
  return makeMotion(found.motion, found.seconds);
}

/** The demo's own motion: hauling a ferry's rope, twice over. */
export const haulingMotion = (): Bvh => makeMotion((phase) => haul((2 * phase) % 1), 3.2);

function makeMotion(motion: Motion, seconds: number): Bvh {
  const frames = Math.round(seconds * RATE) + 1;
  const joints = BODY.map(([name, parent, offset, end], index): BvhJoint => ({
    name,
    parent: BODY.findIndex(([other]) => other === parent),
    offset: index === 0 ? [0, 0, 0] : offset,
    channels:
      index === 0
        ? ['Xposition', 'Yposition', 'Zposition', 'Zrotation', 'Xrotation', 'Yrotation']
        : ['Zrotation', 'Xrotation', 'Yrotation'],
    ...(end && { end }),
  }));
  const width = joints.reduce((sum, { channels }) => sum + channels.length, 0);
  const values = new Float32Array(frames * width);
  const stance = new Stance();
  for (let frame = 0; frame < frames; frame++) {
    const turns = motion(frame / (frames - 1));
    let at = frame * width;
    const hips = stance.next(turns);
    values.set(hips, at);
    at += 3;
    for (const { name } of joints) {
      const [x, y, z] = turns[name] ?? [0, 0, 0];
      values.set([z, x, y], at);
      at += 3;
    }
  }
  return { joints, frames, frameSeconds: 1 / RATE, values };
}

/** Keeps the lower foot where it stands, and so finds where the hips are. */
class Stance {
  #held: { side: string; at: Vec } | undefined;

  next(turns: Readonly<Record<string, Vec3>>): Vec {
    const feet = new Map(['Left', 'Right'].map((side) => [side, footOf(side, turns)]));
    const low = ([side, at]: [string, Vec]): number => at[1] - (this.#held?.side === side ? 1.2 : 0);
    const [side, at] = [...feet].reduce((best, one) => (low(one) < low(best) ? one : best));
    const floor = 7;
    if (!this.#held) this.#held = { side, at: [at[0], floor, at[2]] };
    const kept = feet.get(this.#held.side) as Vec;
    const hips: Vec = [this.#held.at[0] - kept[0], 0, this.#held.at[2] - kept[2]];
    if (side !== this.#held.side) this.#held = { side, at: [at[0] + hips[0], floor, at[2] + hips[2]] };
    hips[1] = floor - Math.min(...[...feet.values()].map(([, y]) => y));
    return hips;
  }
}

/** Where a foot's joint is, seen from the hips. */
function footOf(side: string, turns: Readonly<Record<string, Vec3>>): Vec {
  let turn = turnOf(turns.Hips);
  let at: Vec = [0, 0, 0];
  for (const part of ['Thigh', 'Shin', 'Foot']) {
    const offset = BODY.find(([name]) => name === `${side}${part}`)?.[2] ?? [0, 0, 0];
    const moved = rotated(turn, offset);
    at = [at[0] + moved[0], at[1] + moved[1], at[2] + moved[2]];
    turn = multiplied(turn, turnOf(turns[`${side}${part}`]));
  }
  return at;
}

function turnOf([x, y, z]: Vec3 = [0, 0, 0]): Quat {
  const degrees = Math.PI / 180;
  return multiplied(
    multiplied(aboutAxis([0, 0, 1], z * degrees), aboutAxis([1, 0, 0], x * degrees)),
    aboutAxis([0, 1, 0], y * degrees),
  );
}
