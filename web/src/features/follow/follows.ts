import type { CharacterLook } from '@judoka/core/deform';
import {
  changeValues,
  checkFollows,
  type Json,
  movedValues,
  type PartFollows,
  partPath,
  readMoved,
  relaxAmounts,
} from '@judoka/core/document';
import { pushOut } from '@judoka/core/operations/mesh';
import { needLaidOut } from '../../document/needLaidOut.ts';
import { maskAmounts } from '../../document/SavedItems.ts';
import { lookOf } from '../../document/look.ts';
import type { Editing } from '../../scene/Editing.ts';

/** Rings over which following fades away about a selection. */
const BORDER = 3;
/** Less deep than this share of the size is on the surface. */
const ON_SURFACE = 1e-4;

/** Parts that another one may follow: those with weights and a surface. */
export const driversFor = ({ document }: Editing, part: number): number[] =>
  document.character.parts.flatMap(({ role, triangles }, i) =>
    i !== part && role !== 'fixed' && triangles.length > 0 ? [i] : [],
  );

/** Lets a part follow another one; what hangs on a node gets weights of its own with it. */
export async function letFollow({ document }: Editing, part: number, driver: number): Promise<void> {
  checkFollows(document.settings.follows, part, driver, (i) => document.partName(i));
  const gets = document.character.parts[part].role !== 'fixed' ? {} : { [partPath(part, 'role')]: 'skinned' };
  const values = changeValues(document.values, { [partPath(part, 'follows')]: { driver }, ...gets });
  await document.perform(`${document.partName(part)} follows ${document.partName(driver)}`, { values });
}

export function letGo({ document }: Editing, part: number): void {
  document.setValues(`${document.partName(part)} follows nothing`, { [partPath(part, 'follows')]: null });
}

/** Switches following on or off, or gives it another mask. */
export function changeFollows(
  { document }: Editing,
  part: number,
  { driver, mask, isOff }: PartFollows,
  label: string,
): void {
  const value = { driver, ...(mask !== undefined && { mask }), ...(isOff && { isOff }) } as Json;
  document.setValues(label, { [partPath(part, 'follows')]: value });
}

/** Only the selected points of a part follow, less and less in the rings about them: by a new mask. */
export async function followSelected(at: Editing, part: number, follows: PartFollows): Promise<void> {
  const { document, scene } = at;
  const { neighbours, part: own } = document.parts[part];
  const selected = scene.selection.points().get(part) ?? new Uint32Array(0);
  await followBy(at, part, follows, relaxAmounts(neighbours, own.pointCount, selected, BORDER));
}

/** Points of a part that lie under the surface that they hold on to, or outside their cage; rising. */
export function pointsBeyond({ document }: Editing, part: number): Uint32Array {
  const hold = document.following.holdOf(part);
  if (!hold) return new Uint32Array(0);
  const { kind, heights } = hold;
  const least = ON_SURFACE * document.size;
  const side = kind === 'cage' ? 1 : -1;
  return Uint32Array.from(heights.keys()).filter((p) => side * heights[p] > least);
}

/** Moves what lies beyond, or nearer than a distance, to the right side of the surface, at rest. @returns how many points it moved */
export function pushBeyond(
  { document }: Editing,
  part: number,
  { driver }: PartFollows,
  distance: number,
): number {
  const { following, settings } = document;
  const hold = following.holdOf(part);
  if (!hold) return 0;
  needLaidOut(document);
  const { neighbours, part: own } = document.parts[part];
  const pushed = { part: own, positions: following.bound(part).positions, neighbours, heights: hold.heights };
  const moves = pushOut(pushed, following.surface(driver), { distance, inside: hold.kind === 'cage' });
  const held = settings.moved[part] ?? {};
  const { points, moves: before } = readMoved(held);
  points.forEach((p, i) => {
    const by = moves.get(p);
    if (by) moves.set(p, [by[0] + before[i * 3], by[1] + before[i * 3 + 1], by[2] + before[i * 3 + 2]]);
  });
  const [name, other] = [part, driver].map((i) => document.partName(i));
  document.setValues(
    hold.kind === 'cage' ? `Push ${name} into ${other}` : `Push ${name} out of ${other}`,
    movedValues(part, held, moves),
  );
  return moves.size;
}

/** Points beyond it keep their own weights, and those about them in part: by the mask, or a new one. */
export async function keepBeyond(at: Editing, part: number, follows: PartFollows): Promise<void> {
  const { document } = at;
  const { neighbours, part: own } = document.parts[part];
  const held = document.saved.masks.find(({ id }) => id === follows.mask);
  const before = held && maskAmounts(held, part, own);
  const kept = relaxAmounts(neighbours, own.pointCount, pointsBeyond(at, part), BORDER);
  await followBy(
    at,
    part,
    follows,
    kept.map((share, p) => (before?.[p] ?? 1) * (1 - share)),
  );
}

async function followBy(
  { document }: Editing,
  part: number,
  { driver }: PartFollows,
  amounts: Float32Array,
): Promise<void> {
  const name = document.partName(part);
  const taken = new Set(document.saved.masks.map((mask) => mask.name));
  let own = `${name} follows`;
  for (let i = 2; taken.has(own); i++) own = `${name} follows ${i}`;
  await document.saved.saveMask(own, new Map([[part, amounts]]), {
    label: `Where ${name} follows`,
    values: (mask) => ({ [partPath(part, 'follows')]: { driver, mask } }),
  });
}

/** The look in which some parts follow, switched off or not, and others as they are shown. */
export function lookFollowing({ document }: Editing, part: number): CharacterLook {
  const shown = document.following.followings();
  const all = document.following.followings(true);
  return { ...lookOf(document), following: all.map((own, i) => (i === part ? own : shown[i])) };
}

/** The look in which a part moves by its own weights. */
export function lookWithout({ document }: Editing, part: number): CharacterLook {
  const shown = document.following.followings();
  return { ...lookOf(document), following: shown.map((own, i) => (i === part ? undefined : own)) };
}
