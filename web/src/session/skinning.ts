import { type DualPalette, fillDualPalette, type SkinArrays, skinKernels } from '@judoka/core/deform';
import type { PointList } from '@judoka/core/weights';
import type { CharacterSession } from './CharacterSession.ts';
import type { SessionPart } from './sessionPart.ts';

// How the surface follows the joints: as the character's switch says, by blended matrices or by dual quaternions.

const isDual = ({ settings }: CharacterSession): boolean => settings.skinning === 'dual';

/** After a part's palette has changed. */
export function fillSkinning(session: CharacterSession, { skin, dual }: SessionPart): void {
  if (isDual(session)) fillDualPalette(skin.palette, dual);
}

export function skinAll(session: CharacterSession, { skin, dual, part }: SessionPart): void {
  if (isDual(session)) skinKernels(session.memory).skinDualRange(skin, dual, 0, part.pointCount);
  else skinKernels(session.memory).skinRange(skin, 0, part.pointCount);
}

export function skinPoints(session: CharacterSession, { skin, dual }: SessionPart, list: PointList): void {
  if (isDual(session)) skinKernels(session.memory).skinDualSlots(skin, dual, list, list.points);
  else skinKernels(session.memory).skinList(skin, list);
}

/** Listed points into results of their own; see core's skinSlots. */
export function skinInto(
  session: CharacterSession,
  arrays: SkinArrays,
  dual: DualPalette,
  list: PointList,
  slots: Uint32Array,
): void {
  if (isDual(session)) skinKernels(session.memory).skinDualSlots(arrays, dual, list, slots);
  else skinKernels(session.memory).skinSlots(arrays, list, slots);
}
