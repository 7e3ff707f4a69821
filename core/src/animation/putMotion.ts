import type { Bvh } from './bvhMotion.ts';
import type { Clip } from './clip.ts';
import { mapMotion, type MotionMap } from './mapMotion.ts';
import { retargetMotion, type RetargetOptions } from './retarget.ts';
import type { RetargetSubject } from './retargetSubject.ts';

export interface PutOptions extends RetargetOptions {
  /** Joint of the character → joint of the motion, -1 for none: what is said otherwise than names and shapes tell. */
  readonly follows?: Readonly<Record<number, number>>;
}

/** A motion on a character. */
export interface PutMotion {
  readonly map: MotionMap;
  /** Names of the motion's joints. */
  readonly names: readonly string[];
  /** Undefined where nothing of the motion is known on the character. */
  readonly clip: Clip | undefined;
}

/** Puts a motion onto a character: who follows whom is told by roles and names, but for what is said otherwise. */
export function putMotion(
  subject: RetargetSubject,
  bvh: Bvh,
  name: string,
  { follows = {}, ...options }: PutOptions = {},
): PutMotion {
  const map = mapMotion(subject, bvh);
  for (const [joint, from] of Object.entries(follows))
    if (Number(joint) < map.length && from < bvh.joints.length) map[Number(joint)] = from;
  const names = bvh.joints.map((joint) => joint.name);
  const isKnown = map.some((from) => from >= 0);
  return { map, names, clip: isKnown ? retargetMotion(subject, bvh, map, name, options) : undefined };
}
