import type { Character } from './character.ts';
import { type JointSetups, rebind, withSetups } from '../skeleton/skeletonChange.ts';

/**
 * A character as read, with its joints set up as they are now.
 * @param character as it came from its file
 */
export function withJointSetups(character: Character, setups: JointSetups): Character {
  if (Object.keys(setups).length === 0) return character;
  const skeleton = withSetups(character.skeleton, setups);
  return {
    ...character,
    skeleton,
    parts: character.parts.map((part) => ({
      ...part,
      inverseBinds: rebind(part.inverseBinds, character.skeleton, skeleton),
    })),
  };
}
