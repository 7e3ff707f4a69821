import { type Clip, frameCount, frameSeconds, sampleClip, type Track } from '../animation/clip.ts';
import { RibbonCarrier } from '../deform/ribbon/RibbonCarrier.ts';
import { type Pose, REST_JOINT } from '../skeleton/pose.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';
import { chainPlaces } from '../deform/ribbon/layRibbon.ts';
import { isSoundRibbon, type SavedRibbon, withoutOwnJoints } from './ribbons.ts';

/** Less than this away from rest is at rest. */
const AT_REST = 1e-6;

/** The ribbons that have joints of their own, all of them there. */
export function carryingRibbons<R extends SavedRibbon>(skeleton: Skeleton, ribbons: readonly R[]): R[] {
  return ribbons.filter(
    ({ ownJoints = [], ...ribbon }) =>
      ownJoints.length > 0 &&
      isSoundRibbon(ribbon, skeleton) &&
      ownJoints.every((joint) => {
        const held = skeleton.joints.at(joint);
        return held !== undefined && !held.removed;
      }),
  );
}

/**
 * A clip that moves ribbons’ own joints too, as the ribbons go in it: a key a frame. Joints that it moves itself it goes on
 * moving.
 */
export function withRibbonTracks(clip: Clip, skeleton: Skeleton, ribbons: readonly SavedRibbon[]): Clip {
  const carrying = carryingRibbons(skeleton, ribbons);
  if (carrying.length === 0) return clip;
  const known = new Set(clip.tracks.map(({ joint }) => joint));
  const times = Float32Array.from({ length: frameCount(clip) }, (_, frame) => frameSeconds(clip, frame));
  const poses = Array.from(times, (seconds) => sampleClip(clip, seconds));
  const chains = withoutOwnJoints(skeleton, ribbons);
  const more = carrying.flatMap((ribbon) => {
    const carrier = new RibbonCarrier(skeleton, ribbon, chainPlaces(chains, ribbon.joints));
    const carried = poses.map((pose) => carrier.poseOf(pose));
    return (ribbon.ownJoints ?? [])
      .filter((joint) => !known.has(joint))
      .flatMap((joint) => tracksOf(joint, times, carried));
  });
  return { ...clip, tracks: [...clip.tracks, ...more] };
}

function tracksOf(joint: number, times: Float32Array, poses: readonly Pose[]): Track[] {
  return (['rotation', 'translation', 'scale'] as const).flatMap((path): Track[] => {
    const rest = REST_JOINT[path];
    const values = new Float32Array(poses.length * rest.length);
    poses.forEach((pose, k) => values.set(pose[joint][path], k * rest.length));
    if (path === 'rotation') keepNear(values);
    const isStill = values.every((x, i) => Math.abs(x - rest[i % rest.length]) < AT_REST);
    return isStill ? [] : [{ joint, path, interpolation: 'LINEAR', times, values }];
  });
}

/** A turn and its negative are the same: each key is the one that is nearer to the key before. */
function keepNear(values: Float32Array): void {
  for (let at = 0; at < values.length; at += 4) {
    const before = at === 0 ? REST_JOINT.rotation : values.subarray(at - 4, at);
    let dot = 0;
    for (let k = 0; k < 4; k++) dot += before[k] * values[at + k];
    if (dot < 0) for (let k = 0; k < 4; k++) values[at + k] *= -1;
  }
}
