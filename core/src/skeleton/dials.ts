import { quat } from 'gl-matrix';
import { type JointPose, type Pose, REST_JOINT, withJoint } from './pose.ts';

/** How far a pose can be dialled, either way. */
export const MAX_DIAL = 10;

/** A pose, and how much of it is dialled: 0 for none, 1 for all; below and beyond it goes on the same way. */
export interface Dialled {
  readonly pose: Pose;
  readonly amount: number;
}

/**
 * A pose with other amounts of dialled poses in it. What they do is summed a joint: turns as rotation vectors (Grassia 1998,
 * “Practical parameterization of rotations using the exponential map”), moves as they are, scales by their logarithms; so
 * their order does not matter, and what a hand did besides stays. All at zero, the pose is what it was before the first.
 *
 * @param before what of dialled poses is in it
 * @param after  what shall be
 */
export function redial(pose: Pose, before: readonly Dialled[], after: readonly Dialled[]): Pose {
  const joints = new Set([...before, ...after].flatMap((one) => Object.keys(one.pose).map(Number)));
  return [...joints].reduce<Pose>((next, joint) => {
    const [had, has] = [sumOf(joint, before), sumOf(joint, after)];
    const own = next[joint] ?? REST_JOINT;
    const back = turnOf(had.turn.map((x) => -x));
    const turn = quat.multiply(
      quat.create(),
      quat.multiply(quat.create(), own.rotation, back),
      turnOf(has.turn),
    );
    const [x, y, z, w] = quat.normalize(turn, turn);
    const each = (make: (k: number) => number): [number, number, number] => [make(0), make(1), make(2)];
    return withJoint(next, joint, {
      rotation: [x, y, z, w].map(settled) as unknown as JointPose['rotation'],
      translation: each((k) => settled(own.translation[k] - had.move[k] + has.move[k])),
      scale: each((k) => 1 + settled(own.scale[k] * Math.exp(has.growth[k] - had.growth[k]) - 1)),
    });
  }, pose);
}

interface Sum {
  readonly turn: number[];
  readonly move: number[];
  readonly growth: number[];
}

function sumOf(joint: number, dialled: readonly Dialled[]): Sum {
  const sum: Sum = { turn: [0, 0, 0], move: [0, 0, 0], growth: [0, 0, 0] };
  for (const { pose, amount } of dialled) {
    const held = pose[joint] as JointPose | undefined;
    if (!held) continue;
    const vector = vectorOf(held.rotation);
    for (let k = 0; k < 3; k++) {
      sum.turn[k] += amount * vector[k];
      sum.move[k] += amount * held.translation[k];
      // What has no size, or is turned over, cannot be taken in part.
      if (held.scale[k] > 0) sum.growth[k] += amount * Math.log(held.scale[k]);
    }
  }
  return sum;
}

/** A turn as its axis times its angle, the shorter way. */
function vectorOf([x, y, z, w]: JointPose['rotation']): [number, number, number] {
  const sine = Math.hypot(x, y, z);
  if (sine < 1e-12) return [0, 0, 0];
  const angle = 2 * Math.atan2(w < 0 ? -sine : sine, Math.abs(w));
  return [(x / sine) * angle, (y / sine) * angle, (z / sine) * angle];
}

function turnOf([x, y, z]: readonly number[]): quat {
  const angle = Math.hypot(x, y, z);
  const by = angle < 1e-12 ? 0.5 : Math.sin(angle / 2) / angle;
  return quat.fromValues(x * by, y * by, z * by, Math.cos(angle / 2));
}

/** What there and back leaves over is nothing. */
const settled = (x: number): number => (Math.abs(x) < 1e-7 ? 0 : x);
