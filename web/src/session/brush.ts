import type { BrushSettings } from '@judoka/core/operations/paint';
import type { BenchState } from '../state/benchSlice.ts';
import type { CharacterSession } from './CharacterSession.ts';
import { receiverOf } from './receiver.ts';

/** The brush's settings, as core takes them. */
export function brushOf(
  { strength, value, factor, tool, smoothAll, limit, receiver, receiverJoint, singlePass }: BenchState,
  session: CharacterSession,
): Omit<BrushSettings, 'tool' | 'joint'> {
  return {
    strength,
    value: tool === 'scale' ? factor : value,
    smoothAll,
    limit,
    singlePass,
    receiver: receiverOf(session, receiver, receiverJoint),
  };
}
