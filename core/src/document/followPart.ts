import type { DriverSurface } from '../deform/follow/anchors.ts';
import { type Hold, holdOn } from '../deform/follow/hold.ts';
import { CoreError } from '../errors.ts';
import { findNeighbours } from '../mesh/topology.ts';
import type { CharacterPart } from './character.ts';
import { skinPart, type SkinnedCharacter } from './skinPart.ts';

type FollowedCharacter = SkinnedCharacter & {
  readonly parts: readonly Pick<
    CharacterPart,
    | 'positions'
    | 'normals'
    | 'inverseBinds'
    | 'pointCount'
    | 'triangles'
    | 'polygonOffsets'
    | 'polygonPoints'
    | 'name'
  >[];
};

/**
 * What a part holds on to of another one, as the joints bind both.
 * @throws CoreError argument-invalid if that has no surface
 */
export async function followPart(character: FollowedCharacter, part: number, driver: number): Promise<Hold> {
  const {
    triangles,
    polygonOffsets: offsets,
    polygonPoints: points,
    pointCount,
    name,
  } = character.parts[driver];
  const surface: DriverSurface = {
    ...skinPart(character, driver, {}, true),
    triangles,
    neighbours: findNeighbours({ offsets, points }, pointCount),
  };
  const hold = await holdOn(surface, skinPart(character, part, {}, true).positions);
  if (!hold)
    throw new CoreError('argument-invalid', `“${name}” has no faces: nothing can follow it.`, { driver });
  return hold;
}
