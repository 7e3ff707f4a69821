import { frameCount, frameSeconds, sampleClip, type Clip } from '../../animation/clip.ts';
import { rangePoses, type Angles, type MotionRange } from '../../animation/motionRange.ts';
import type { Pose } from '../../skeleton/pose.ts';

/** A pose that costs are measured in: of a joint's range, or of a clip. */
export interface CostPose {
  readonly pose: Pose;
  readonly at:
    | { readonly joint: number; readonly angles: Angles }
    | { readonly clip: string; readonly frame: number; readonly seconds: number };
}

/** Of a clip, at most so many frames are looked at, evenly over it; of all clips together so many. */
export const MAX_CLIP_FRAMES = 24;
const MAX_FRAMES = 240;

/** The poses of the range of motion, and frames of clips. */
export function costPoses(ranges: readonly MotionRange[], clips: readonly Clip[]): CostPose[] {
  const each = Math.max(2, Math.min(MAX_CLIP_FRAMES, Math.floor(MAX_FRAMES / Math.max(1, clips.length))));
  const bent = ranges.flatMap((range) =>
    rangePoses(range).map(({ joint, angles, pose }): CostPose => ({ pose, at: { joint, angles } })),
  );
  const moved = clips.slice(0, MAX_FRAMES / 2).flatMap((clip): CostPose[] => {
    const frames = frameCount(clip);
    const count = Math.min(frames, each);
    return Array.from({ length: count }, (_, i) => {
      const frame = count === 1 ? 0 : Math.round((i * (frames - 1)) / (count - 1));
      const seconds = frameSeconds(clip, frame);
      return { pose: sampleClip(clip, seconds), at: { clip: clip.name, frame, seconds } };
    });
  });
  return [...bent, ...moved];
}
