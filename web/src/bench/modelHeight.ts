import type { CharacterSession } from '../session/CharacterSession.ts';

const known = new WeakMap<CharacterSession, number>();

/** The height of the character as it first stood on the stage, in scene units: what brush radii are shares of. */
export function modelHeight(session: CharacterSession): number {
  const held = known.get(session);
  if (held !== undefined) return held;
  let low = Infinity;
  let high = -Infinity;
  for (const { skin } of session.parts) {
    for (let i = 1; i < skin.positions.length; i += 3) {
      low = Math.min(low, skin.positions[i]);
      high = Math.max(high, skin.positions[i]);
    }
  }
  const height = high > low ? high - low : 1;
  known.set(session, height);
  return height;
}
