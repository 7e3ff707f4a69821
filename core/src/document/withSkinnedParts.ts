import type { Character } from './character.ts';

/**
 * A character in which some parts that hang on a node have weights of their own. Parts that have them anyway stay as they
 * are; numbers of no part are passed over.
 */
export function withSkinnedParts(character: Character, skinned: ReadonlySet<number>): Character {
  if (character.parts.every(({ role }, part) => role === 'skinned' || !skinned.has(part))) return character;
  return {
    ...character,
    parts: character.parts.map((part, i) => (skinned.has(i) ? { ...part, role: 'skinned' } : part)),
  };
}
