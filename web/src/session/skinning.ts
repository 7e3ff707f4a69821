import { fillDualPalette, type DualPalette, type PointList, type SkinArrays } from '@judoka/core';
import type { CharacterSession } from './CharacterSession.ts';
import type { SessionPart } from './sessionPart.ts';

// How the surface follows the joints: as the character's switch says, by blended matrices or by dual quaternions.

const isDual = ({ settings }: CharacterSession): boolean => settings.skinning === 'dual';

/** After a part's palette has changed. */
export function fillSkinning(session: CharacterSession, { skin, dual }: SessionPart): void {
  if (isDual(session)) fillDualPalette(skin.palette, dual);
}

export function skinAll(session: CharacterSession, { skin, dual, part }: SessionPart): void {
  if (isDual(session)) session.kernels.skinDualRange(skin, dual, 0, part.pointCount);
  else session.kernels.skinRange(skin, 0, part.pointCount);
}

export function skinPoints(session: CharacterSession, { skin, dual }: SessionPart, list: PointList): void {
  if (isDual(session)) session.kernels.skinDualSlots(skin, dual, list, list.points);
  else session.kernels.skinList(skin, list);
}

/** Listed points into results of their own; see core's skinSlots. */
export function skinInto(
  session: CharacterSession,
  arrays: SkinArrays,
  dual: DualPalette,
  list: PointList,
  slots: Uint32Array,
): void {
  if (isDual(session)) session.kernels.skinDualSlots(arrays, dual, list, slots);
  else session.kernels.skinSlots(arrays, list, slots);
}
