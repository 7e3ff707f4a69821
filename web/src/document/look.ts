import type { CharacterLook } from '@judoka/core/deform';
import { relaxAmounts, type RelaxedLook } from '@judoka/core/document';
import type { OpenDocument } from './OpenDocument.ts';
import { turnedShapes } from './posedShapes.ts';
import { ribbonsOfParts } from './laidRibbons.ts';
import { maskAmounts } from './SavedItems.ts';

export type LookedAt = Pick<
  OpenDocument,
  'character' | 'following' | 'parts' | 'saved' | 'settings' | 'skeleton'
>;

/** How a document's surface is relaxed, and how much of it each point of each part takes; undefined where it is not. */
export function relaxedParts({
  saved,
  settings: { relaxing },
  character,
  parts,
}: Omit<LookedAt, 'following'>):
  { relaxing: RelaxedLook; amounts: (Float32Array | undefined)[] } | undefined {
  // What a drawing is filled with follows its points as they are.
  if (!relaxing || character.drawing) return undefined;
  // A mask or a selection that is gone holds nothing back.
  const mask = saved.masks.find(({ id }) => id === relaxing.mask);
  const within = saved.selections.find(({ id }) => id === relaxing.selection);
  const amounts = parts.map(
    ({ index, part, neighbours }) =>
      (mask && maskAmounts(mask, index, part)) ??
      (within &&
        relaxAmounts(
          neighbours,
          part.pointCount,
          within.points.get(index) ?? new Uint32Array(0),
          relaxing.border ?? 0,
        )),
  );
  return { relaxing, amounts };
}

/** How a document's surface is measured: as it is shown. */
export const lookOf = (document: LookedAt): CharacterLook => ({
  skinning: document.settings.skinning,
  ...relaxedParts(document),
  following: document.following.followings(),
  morphs: turnedShapes(document),
  ribbons: ribbonsOfParts(document),
});
