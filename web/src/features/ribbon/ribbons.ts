import type { CharacterLook } from '@judoka/core/deform';
import { RibbonPoser, ribbonWidth } from '@judoka/core/deform';
import {
  carryingRibbons,
  itemPath,
  ribbonsOnPart,
  type SavedRibbon,
  type WithId,
} from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { chainsOf, laidRibbons } from '../../document/laidRibbons.ts';
import { lookOf } from '../../document/look.ts';
import { maskAmounts } from '../../document/SavedItems.ts';
import type { Editing } from '../../scene/Editing.ts';

export type OwnRibbon = WithId<SavedRibbon>;

/** How far a ribbon lets go beyond its width, as a share of it, unless a person says otherwise. */
const FALL = 0.5;

/** The part that a chain has most of. */
export function partOfChain({ scene }: Editing, chain: readonly number[]): number {
  const isOwn = new Set(chain);
  const mass = scene.parts.map(({ skin: { rows }, part }) => {
    if (part.role !== 'skinned') return 0;
    let sum = 0;
    for (let i = 0; i < rows.values.length; i++) if (isOwn.has(rows.joints[i])) sum += rows.values[i];
    return sum;
  });
  return mass.indexOf(Math.max(...mass));
}

/** Lays a ribbon along a chain. @throws CoreError argument-invalid for a chain of one joint */
export function layNew(at: Editing, chain: readonly number[], part: number): void {
  const { document, scene } = at;
  if (chain.length < 2)
    throw new CoreError(
      'argument-invalid',
      'A ribbon runs along two joints or more: one joint has no length.',
    );
  const { skin, part: own } = scene.parts[part];
  const [first, last] = [chain[0], chain[chain.length - 1]].map((joint) => document.jointName(joint));
  const ribbon: SavedRibbon = {
    ...{ name: `${first} to ${last}`.slice(0, 80), part, joints: [...chain] },
    controls: Math.min(32, Math.max(3, chain.length + 1)),
    ...{ width: ribbonWidth(own, skin.rows, chainsOf(document), chain), fall: FALL },
    ...{ isStartHeld: true, isEndHeld: false, sharesTwist: true, keepsVolume: false },
    savedAt: Date.now(),
  };
  document.setValues(`Ribbon ${ribbon.name}`, {
    [itemPath('ribbons', crypto.randomUUID())]: ribbon as never,
  });
}

/** Changes a ribbon; changes of one kind that follow each other are one edit. */
export function changeRibbon(
  { document }: Editing,
  { id, ...ribbon }: OwnRibbon,
  change: Partial<SavedRibbon>,
): void {
  const field = Object.keys(change)[0];
  const { isOff, mask, ...rest } = { ...ribbon, ...change };
  const value = { ...rest, ...(isOff && { isOff }), ...(mask !== undefined && { mask }) };
  document.setValues(
    `Ribbon ${ribbon.name}`,
    { [itemPath('ribbons', id)]: value },
    { growsAs: `ribbon:${id}:${field}` },
  );
}

/** Takes a ribbon away; joints of its own stay, for weights hang on them. */
export function removeRibbon({ document }: Editing, { id, ...ribbon }: OwnRibbon): void {
  const isCarrying = carryingRibbons(document.skeleton, [ribbon]).length > 0;
  document.setValues(`Without ribbon ${ribbon.name}`, { [itemPath('ribbons', id)]: null });
  if (isCarrying)
    document.notify(
      `No clip moves the joints of ${ribbon.name} any more. They stay, with what hangs on them: undo brings the ribbon back, and under Bind, Joints they can be taken out.`,
    );
}

/** A ribbon as it lies in its part, switched off or not; nothing where its joints are gone. */
export function layOne({ document }: Editing, ribbon: OwnRibbon): RibbonPoser | undefined {
  const { character, saved } = document;
  const shape = character.parts.at(ribbon.part);
  if (!shape) return undefined;
  const { isOff: _, ...on } = ribbon;
  const [laid] = ribbonsOnPart(ribbon.part, shape, chainsOf(document), [on], (id) => {
    const mask = saved.masks.find((each) => each.id === id);
    return mask && maskAmounts(mask, ribbon.part, shape);
  });
  return (laid as typeof laid | undefined) && new RibbonPoser(laid);
}

/** The look in which a part is held by its ribbons, and by one that may be switched off. */
export function lookWith(at: Editing, ribbon: OwnRibbon, poser: RibbonPoser): CharacterLook {
  const { document } = at;
  const shown = laidRibbons(document, ribbon.part);
  const ribbons = document.character.parts.map((_, part) =>
    part !== ribbon.part ? laidRibbons(document, part) : ribbon.isOff ? [...shown, poser.laid] : shown,
  );
  return { ...lookOf(document), ribbons };
}
