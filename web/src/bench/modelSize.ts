import type { CharacterSession } from '../session/CharacterSession.ts';
import { largestExtent } from '../session/extent.ts';

const known = new WeakMap<CharacterSession, number>();

/** How large the character was as it first stood on the stage, in scene units: what brush radii are shares of. */
export function modelSize(session: CharacterSession): number {
  const held = known.get(session);
  if (held !== undefined) return held;
  const size = largestExtent(session.parts.map(({ skin }) => skin.positions)) || 1;
  known.set(session, size);
  return size;
}
