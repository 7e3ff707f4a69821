import type { Workspace } from './Workspace.ts';
import { weightOf } from '@judoka/core/weights';

/** One thing to cure; it is cured when the data says so. */
export interface WarmUpStep {
  readonly title: string;
  readonly how: string;
  /** The joint whose weight is wrong there. */
  readonly joint: string;
  readonly part: string;
  /** Whether a point at rest is one that the fault lies on. */
  readonly lies: (x: number, y: number, z: number) => boolean;
  /** Points' worth of weight that may be left. */
  readonly most: number;
}

export const WARM_UP: readonly WarmUpStep[] = [
  {
    title: 'The wrong leg',
    how: 'The left shin follows the right knee a little. Choose Take away and brush knee_R off the left shin; the hatching shows where it hides.',
    joint: 'knee_R',
    part: 'body',
    lies: (x, y) => x > 0.02 && y > 0.3 && y < 0.5,
    most: 0.4,
  },
  {
    title: 'The heel',
    how: 'The right heel hangs on the knee. Choose foot_R, take Set to at 1, and brush the back of the right foot.',
    joint: 'knee_R',
    part: 'body',
    lies: (x, y, z) => x < 0 && y < 0.06 && z < -0.008 && z > -0.032,
    most: 0.6,
  },
  {
    title: 'The beak',
    how: 'The upper beak follows the lower one. Take beak_lower away from the front of the upper beak; open the beak in the strip below to see it.',
    joint: 'beak_lower',
    part: 'beak upper',
    lies: (_x, _y, z) => z > 0.4,
    most: 0.4,
  },
];

/** Whether this is a character to practise on: it has the joints and parts of all steps. */
export function canWarmUp({ document: { skeleton }, scene: { parts } }: Workspace): boolean {
  return WARM_UP.every(
    ({ joint, part }) =>
      skeleton.joints.some(({ name }) => name === joint) && parts.some((held) => held.part.name === part),
  );
}

export interface WarmUpState {
  /** Points that still have weight of the joint, rising. */
  readonly points: Uint32Array;
  readonly part: number;
  readonly joint: number;
  readonly cured: boolean;
  /** How much of it is left, in points. */
  readonly left: number;
}

export function lookAt(
  { document: { skeleton }, scene: { parts } }: Workspace,
  step: WarmUpStep,
): WarmUpState {
  const joint = skeleton.joints.findIndex(({ name }) => name === step.joint);
  const held = parts.find(({ part }) => part.name === step.part);
  if (!held || joint < 0) return { points: new Uint32Array(0), part: -1, joint, cured: true, left: 0 };
  const { positions, pointCount } = held.part;
  const points: number[] = [];
  let left = 0;
  for (let p = 0; p < pointCount; p++) {
    if (!step.lies(positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2])) continue;
    const weight = weightOf(held.skin.rows, p, joint);
    if (weight === 0) continue;
    points.push(p);
    left += weight;
  }
  return { points: Uint32Array.from(points), part: held.index, joint, cured: left <= step.most, left };
}
