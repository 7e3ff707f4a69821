import type { BrushSettings } from '@judoka/core/operations/paint';
import type { UiSettings } from '../../settings/uiSettings.ts';
import { receiverOf } from '../../scene/receiver.ts';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

/** The brush's settings, as core takes them. */
export function brushOf(
  {
    strength,
    value,
    factor,
    tool,
    smoothAll,
    restoreAll,
    limit,
    receiver,
    receiverJoint,
    singlePass,
  }: UiSettings,
  at: At,
): Omit<BrushSettings, 'tool' | 'joint'> {
  return {
    strength,
    value: tool === 'scale' ? factor : value,
    allInfluences: tool === 'restore' ? restoreAll : smoothAll,
    limit,
    singlePass,
    receiver: receiverOf(at, receiver, receiverJoint),
  };
}
