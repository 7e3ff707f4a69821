import type { LaidRibbon } from '@judoka/core/deform';
import { type CharacterPart, ribbonsOnPart, withoutOwnJoints } from '@judoka/core/document';
import type { Skeleton } from '@judoka/core/skeleton';
import type { OpenDocument } from './OpenDocument.ts';
import { maskAmounts } from './SavedItems.ts';

type RibbonDocument = Pick<OpenDocument, 'character' | 'saved' | 'settings' | 'skeleton'>;

/** The skeleton as chains run in it. */
export const chainsOf = ({ skeleton, settings }: Pick<RibbonDocument, 'skeleton' | 'settings'>): Skeleton =>
  withoutOwnJoints(skeleton, settings.ribbons);

/** What lay in a part last, and what it was laid by. */
const laid = new WeakMap<
  CharacterPart['positions'],
  { readonly by: string; readonly ribbons: LaidRibbon[] }
>();

/** The ribbons that hold a part; the same objects as long as nothing of them changes. */
export function laidRibbons(
  { character, saved, settings, skeleton }: RibbonDocument,
  part: number,
): LaidRibbon[] {
  const shape = character.parts[part];
  const own = settings.ribbons.filter((ribbon) => ribbon.part === part && !ribbon.isOff);
  if (own.length === 0) return [];
  const maskOf = (id: string) => saved.masks.find((mask) => mask.id === id);
  const by = JSON.stringify([
    settings.ribbons.map(({ ownJoints }) => ownJoints),
    own.map((ribbon) => [ribbon, ribbon.mask && maskOf(ribbon.mask)?.attachment]),
    own.map(({ joints }) => joints.map((joint) => skeleton.joints.at(joint))),
    [...shape.inverseBinds.subarray(-16)],
  ]);
  const known = laid.get(shape.positions);
  if (known?.by === by) return known.ribbons;
  const ribbons = ribbonsOnPart(part, shape, chainsOf({ skeleton, settings }), own, (id) => {
    const mask = maskOf(id);
    return mask && maskAmounts(mask, part, shape);
  });
  laid.set(shape.positions, { by, ribbons });
  return ribbons;
}

/** By part, the ribbons that hold it; nothing where there is none at all. */
export function ribbonsOfParts(document: RibbonDocument): LaidRibbon[][] {
  if (document.settings.ribbons.length === 0) return [];
  return document.character.parts.map((_, part) => laidRibbons(document, part));
}
