import type { Clip } from '@judoka/core/animation';
import type { JointName } from './drawing.ts';

const SECONDS = 1.2;
const KEYS = 13;

/** Degrees about the page's own axis, at a share of the step. */
type Swing = (share: number) => number;

const wave =
  (size: number, at = 0): Swing =>
  (share) =>
    size * Math.sin(2 * Math.PI * (share + at));
/** A knee bends while its leg swings forward. */
const knee =
  (at: number): Swing =>
  (share) =>
    -38 * Math.max(0, Math.sin(2 * Math.PI * (share + at))) ** 2 - 4;

const SWINGS: Partial<Record<JointName, Swing>> = {
  hip_front: wave(24),
  knee_front: knee(0.25),
  ankle_front: wave(8, 0.3),
  hip_back: wave(24, 0.5),
  knee_back: knee(0.75),
  ankle_back: wave(8, 0.8),
  spine: wave(2, 0.1),
  head: wave(3, 0.2),
  shoulder_front: wave(18, 0.5),
  elbow_front: wave(8, 0.6),
  shoulder_back: wave(4),
};

/** The lamplighter's walk, on the spot, over and over. */
export function makeWalk(names: readonly JointName[]): Clip {
  const times = Float32Array.from({ length: KEYS }, (_, key) => (SECONDS * key) / (KEYS - 1));
  const tracks = names.flatMap((name, joint) => {
    const swing = SWINGS[name];
    if (!swing) return [];
    const values = new Float32Array(KEYS * 4);
    for (let key = 0; key < KEYS; key++) {
      const half = (swing(key / (KEYS - 1)) * Math.PI) / 360;
      values.set([0, 0, Math.sin(half), Math.cos(half)], key * 4);
    }
    return [{ joint, path: 'rotation' as const, interpolation: 'LINEAR' as const, times, values }];
  });
  return { name: 'walk', seconds: SECONDS, rate: 24, tracks };
}
