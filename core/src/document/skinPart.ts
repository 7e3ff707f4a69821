import type { CharacterPart } from './character.ts';
import { buildPalette, poseWorld, type Pose } from '../skeleton/pose.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';
import type { WeightRows } from '../weights/rows.ts';
import { skinRange } from '../deform/skin.ts';

export interface SkinnedCharacter {
  readonly parts: readonly Pick<CharacterPart, 'positions' | 'normals' | 'inverseBinds' | 'pointCount'>[];
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
}

/**
 * One part in a pose, in the scene: linear skinning, into new arrays. With `bound`, where it stood when it was bound,
 * whatever the skeleton does.
 */
export function skinPart(
  { parts, skeleton, rows }: SkinnedCharacter,
  part: number,
  pose: Pose,
  bound: boolean,
): { positions: Float32Array; normals: Float32Array } {
  const { positions, normals, inverseBinds, pointCount } = parts[part];
  const palette = new Float32Array(inverseBinds.length);
  if (bound) {
    const place = inverseBinds.subarray(inverseBinds.length - 16);
    for (let at = 0; at < palette.length; at += 16) palette.set(place, at);
  } else {
    const world = new Float32Array(skeleton.joints.length * 16);
    poseWorld(skeleton, pose, world);
    buildPalette(world, inverseBinds, palette);
  }
  const out = { positions: new Float32Array(positions.length), normals: new Float32Array(positions.length) };
  skinRange({ rest: positions, restNormals: normals, rows: rows[part], palette, ...out }, 0, pointCount);
  return out;
}
