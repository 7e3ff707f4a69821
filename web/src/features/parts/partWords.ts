import type { CharacterPart } from '@judoka/core/document';
import type { ScenePart } from '../../scene/ScenePart.ts';

/** What is said of a part beside its points. */
export const ROLE_WORDS: Readonly<Record<CharacterPart['role'], string>> = {
  skinned: '',
  fixed: ', no weights of its own',
  cage: ', a cage that was made here',
};

/** Whether a part is one: not the number of a cage that was taken away. */
export const isThere = ({ part }: Pick<ScenePart, 'part'>): boolean =>
  part.role !== 'cage' || part.pointCount > 0;
