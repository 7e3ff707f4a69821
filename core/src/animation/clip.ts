import { REST_JOINT, type JointPose, type Pose } from '../skeleton/pose.ts';

export const INTERPOLATIONS = ['LINEAR', 'STEP', 'CUBICSPLINE'] as const;
export type Interpolation = (typeof INTERPOLATIONS)[number];
export type TrackPath = keyof JointPose;

/**
 * What one joint does over time, away from its rest (see JointPose).
 *
 * - `times`   Float32Array, rising, in seconds.
 * - `values`  Float32Array, 3 or 4 a key; for CUBICSPLINE three times as many (in-tangent, value, out-tangent).
 */
export interface Track {
  readonly joint: number;
  readonly path: TrackPath;
  readonly interpolation: Interpolation;
  readonly times: Float32Array;
  readonly values: Float32Array;
}

/** The same of a node that is no joint yet. */
export type NodeTrack = Omit<Track, 'joint'> & { readonly node: number };

/** A motion of a skeleton. */
export interface Clip {
  readonly name: string;
  readonly seconds: number;
  /** Frames a second at which it is looked at. */
  readonly rate: number;
  readonly tracks: readonly Track[];
  /** What nodes do that are no joints and could be. */
  readonly nodeTracks?: readonly NodeTrack[];
}

/** A pose as a clip of one frame. */
export function poseClip(name: string, pose: Pose): Clip {
  const times = Float32Array.of(0);
  const tracks = Object.entries(pose).flatMap(([joint, held]) =>
    (['rotation', 'translation', 'scale'] as const)
      .filter((path) => held[path].some((x, k) => x !== REST_JOINT[path][k]))
      .map((path): Track => {
        const values = Float32Array.from(held[path]);
        return { joint: Number(joint), path, interpolation: 'STEP', times, values };
      }),
  );
  return { name, seconds: 0, rate: 30, tracks };
}

/** Poses as a clip: each is a frame, a second behind the one before; between them joints go the shorter way. */
export function posesClip(name: string, poses: readonly Pose[]): Clip {
  const times = Float32Array.from(poses, (_, i) => i);
  const joints = [...new Set(poses.flatMap((pose) => Object.keys(pose).map(Number)))].sort((a, b) => a - b);
  const tracks = joints.flatMap((joint) =>
    (['rotation', 'translation', 'scale'] as const)
      .map((path): Track => {
        const values = Float32Array.from(poses.flatMap((pose) => (pose[joint] ?? REST_JOINT)[path]));
        return { joint, path, interpolation: 'LINEAR', times, values };
      })
      .filter(({ path, values }) => {
        const rest = REST_JOINT[path];
        return values.some((x, i) => x !== rest[i % rest.length]);
      }),
  );
  return { name, seconds: Math.max(0, poses.length - 1), rate: 1, tracks };
}

/** Frames of a clip, the first and the last among them. */
export function frameCount({ seconds, rate }: Pick<Clip, 'seconds' | 'rate'>): number {
  return Math.round(seconds * rate) + 1;
}

export const frameSeconds = ({ seconds, rate }: Pick<Clip, 'seconds' | 'rate'>, frame: number): number =>
  Math.min(seconds, frame / rate);

/** The pose of a clip at a time; before its first key and behind its last one a track holds. */
export function sampleClip({ tracks }: Pick<Clip, 'tracks'>, seconds: number): Pose {
  const pose: Record<number, { -readonly [K in keyof JointPose]: JointPose[K] }> = {};
  for (const track of tracks) {
    const held = (pose[track.joint] ??= { ...REST_JOINT });
    const value = sampleTrack(track, seconds);
    if (track.path === 'rotation') held.rotation = [value[0], value[1], value[2], value[3]];
    else held[track.path] = [value[0], value[1], value[2]];
  }
  return pose;
}

/** A track's value at a time (glTF 2.0 specification, appendix C). */
export function sampleTrack({ path, ...keys }: Track, seconds: number): number[] {
  if (path !== 'rotation') return sampleKeys(keys, 3, seconds);
  const value = sampleKeys(keys, 4, seconds, slerp);
  return keys.interpolation === 'CUBICSPLINE' ? normalized(path, value) : value;
}

/**
 * Keys' value at a time, so many numbers each; before the first key and behind the last one they hold.
 * @param between what lies between two keys, where the track is linear
 */
export function sampleKeys(
  { interpolation, times, values }: Pick<Track, 'interpolation' | 'times' | 'values'>,
  width: number,
  seconds: number,
  between: typeof mix = mix,
): number[] {
  const cubic = interpolation === 'CUBICSPLINE';
  const read = (key: number, slot = 1): number[] => {
    const from = cubic ? (key * 3 + slot) * width : key * width;
    return Array.from(values.subarray(from, from + width));
  };
  const next = firstAfter(times, seconds);
  if (next === 0) return read(0);
  if (next === times.length) return read(times.length - 1);
  const key = next - 1;
  const step = times[next] - times[key];
  const t = step > 0 ? (seconds - times[key]) / step : 0;
  if (interpolation === 'STEP') return read(key);
  return cubic
    ? hermite(read(key), read(key, 2), read(next), read(next, 0), t, step)
    : between(read(key), read(next), t);
}

function firstAfter(times: Float32Array, seconds: number): number {
  let [from, to] = [0, times.length];
  while (from < to) {
    const middle = (from + to) >> 1;
    if (times[middle] > seconds) to = middle;
    else from = middle + 1;
  }
  return from;
}

const mix = (a: readonly number[], b: readonly number[], t: number): number[] =>
  a.map((x, k) => x + (b[k] - x) * t);

export function slerp(a: readonly number[], b: readonly number[], t: number): number[] {
  const dot = a.reduce((sum, x, k) => sum + x * b[k], 0);
  const sign = dot < 0 ? -1 : 1;
  const angle = Math.acos(Math.min(1, Math.abs(dot)));
  if (angle < 1e-4)
    return normalized(
      'rotation',
      mix(
        a,
        b.map((x) => x * sign),
        t,
      ),
    );
  const [p, q] = [
    Math.sin((1 - t) * angle) / Math.sin(angle),
    (sign * Math.sin(t * angle)) / Math.sin(angle),
  ];
  return a.map((x, k) => x * p + b[k] * q);
}

function hermite(
  a: readonly number[],
  out: readonly number[],
  b: readonly number[],
  into: readonly number[],
  t: number,
  step: number,
): number[] {
  const [t2, t3] = [t * t, t * t * t];
  return a.map(
    (x, k) =>
      (2 * t3 - 3 * t2 + 1) * x +
      step * (t3 - 2 * t2 + t) * out[k] +
      (3 * t2 - 2 * t3) * b[k] +
      step * (t3 - t2) * into[k],
  );
}

function normalized(path: TrackPath, value: number[]): number[] {
  if (path !== 'rotation') return value;
  const length = Math.hypot(...value) || 1;
  return value.map((x) => x / length);
}
