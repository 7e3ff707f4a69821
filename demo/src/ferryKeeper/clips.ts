import type { ClipSource } from '../writeGlb.ts';

type Angles = readonly [number, number, number];
/** What a joint does at phase 0..1 of the clip, in degrees about its own axes. */
type Motion = (phase: number) => Angles;

const wave = (phase: number, shift = 0): number => Math.sin(2 * Math.PI * (phase + shift));
const bend = (degrees: number): Angles => [degrees, 0, 0];

function sample(
  name: string,
  seconds: number,
  keys: number,
  motions: Readonly<Record<string, Motion>>,
): ClipSource {
  const times = Array.from({ length: keys + 1 }, (_, k) => (seconds * k) / keys);
  const turns: Record<string, Angles[]> = {};
  for (const [joint, motion] of Object.entries(motions)) turns[joint] = times.map((_, k) => motion(k / keys));
  return { name, times, turns };
}

/** A stalking walk: long steps, the head held back and thrust forward. */
function walking(): ClipSource {
  const motions: Record<string, Motion> = {
    pelvis: (t) => [3 * wave(2 * t), 4 * wave(t), 0],
    spine_2: (t) => [0, -4 * wave(t), 0],
    tail_1: (t) => bend(5 * wave(2 * t, 0.25)),
    cape_back_2: (t) => bend(4 * wave(2 * t, 0.4)),
    lantern: (t) => [10 * wave(t, 0.2), 0, 6 * wave(t)],
  };
  for (let n = 2; n <= 6; n++)
    motions[`neck_${n}`] = (t) => bend(7 * wave(2 * t, 0.08 * n) * (n % 2 ? 1 : -1));
  for (const [side, shift] of [
    ['L', 0],
    ['R', 0.5],
  ] as const) {
    motions[`hip_${side}`] = (t) => bend(24 * wave(t, shift));
    motions[`knee_${side}`] = (t) => bend(-18 + 18 * wave(t, shift + 0.25));
    motions[`ankle_${side}`] = (t) => bend(22 - 30 * Math.max(0, wave(t, shift + 0.2)));
    motions[`toe_middle_${side}`] = (t) => bend(12 * Math.max(0, wave(t, shift + 0.55)));
    motions[`shoulder_${side}`] = (t) => bend((side === 'L' ? 1 : -1) * 5 * wave(t, shift));
  }
  return sample('walking', 1.6, 24, motions);
}

/** Poling the ferry: the trunk leans, both wings push down and back. */
function poling(): ClipSource {
  const motions: Record<string, Motion> = {
    spine_1: (t) => bend(10 - 10 * Math.cos(2 * Math.PI * t)),
    spine_2: (t) => [8 - 8 * Math.cos(2 * Math.PI * t), 8 * wave(t), 0],
    neck_1: (t) => bend(-9 + 9 * Math.cos(2 * Math.PI * t)),
    neck_3: (t) => bend(-8 + 8 * Math.cos(2 * Math.PI * t)),
    head: (t) => bend(6 * wave(t, 0.1)),
    hip_L: (t) => bend(-14 * (1 - Math.cos(2 * Math.PI * t)) * 0.5),
    hip_R: (t) => bend(12 * (1 - Math.cos(2 * Math.PI * t)) * 0.5),
  };
  for (const [side, sign] of [
    ['L', 1],
    ['R', -1],
  ] as const) {
    motions[`shoulder_${side}`] = (t) => [
      sign * (20 - 45 * (0.5 - 0.5 * Math.cos(2 * Math.PI * t))),
      0,
      sign * 25 * wave(t),
    ];
    motions[`elbow_${side}`] = (t) => [0, 0, sign * (15 + 25 * wave(t, 0.2))];
    motions[`wrist_${side}`] = (t) => [0, 0, sign * (8 + 16 * wave(t, 0.3))];
  }
  return sample('poling', 2.4, 24, motions);
}

/** A deep bow of the long neck, wings half spread, beak opened in greeting. */
function bowing(): ClipSource {
  const down = (t: number): number => Math.sin(Math.PI * t) ** 2;
  const motions: Record<string, Motion> = {
    spine_1: (t) => bend(16 * down(t)),
    spine_2: (t) => bend(18 * down(t)),
    chest: (t) => bend(10 * down(t)),
    head: (t) => bend(22 * down(t)),
    beak_lower: (t) => bend(18 * down(t) ** 4),
    tail_1: (t) => bend(-14 * down(t)),
  };
  for (let n = 1; n <= 6; n++) motions[`neck_${n}`] = (t) => bend((n < 3 ? 22 : 11) * down(t));
  for (const [side, sign] of [
    ['L', 1],
    ['R', -1],
  ] as const) {
    motions[`shoulder_${side}`] = (t) => bend(sign * 38 * down(t));
    motions[`elbow_${side}`] = (t) => bend(sign * 12 * down(t));
    motions[`scarf_2`] = (t) => bend(-18 * down(t));
  }
  return sample('bowing', 3, 30, motions);
}

export function makeClips(): ClipSource[] {
  return [walking(), poling(), bowing()];
}
