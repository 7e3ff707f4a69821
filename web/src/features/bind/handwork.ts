import { blendBorders } from '@judoka/core/operations/paint';
import { type ChainSettings, islandOf, spreadChain, tieToJoint } from '@judoka/core/operations/bind';
import { CoreError } from '@judoka/core/errors';
import { restPlaces } from '@judoka/core/skeleton';
import { type Change, countPoints } from '@judoka/core/weights';
import { chosenChain } from '../../scene/chosenChain.ts';
import { restPositions, rulesOf } from '../../scene/scope.ts';
import { shownParts } from '../../scene/shownParts.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

// Bindings by hand: what is selected is given, blended or spread.

/** Gives the selected points to a joint whole. @returns how many changed */
export async function giveSelection(at: At, joint: number): Promise<number> {
  if (joint < 0) throw new CoreError('argument-invalid', 'Choose the joint that gets the selection first.');
  const points = at.scene.selection.points();
  if (points.size === 0) throw new CoreError('argument-invalid', 'Select the points to give first.');
  const rules = rulesOf(at);
  const change = [...points]
    .map(([part, list]) => tieToJoint(part, at.scene.parts[part].skin.rows, list, joint, rules))
    .filter(({ points: changed }) => changed.length > 0);
  await at.document.perform(`Give ${at.scene.selection.count} points to ${at.document.jointName(joint)}`, {
    weights: change,
  });
  return countPoints(change);
}

/** Gives the whole island about a point to the chosen joint. @returns how many points changed */
export async function tieIsland(
  at: At,
  { index, part, skin, paint }: ScenePart,
  point: number,
): Promise<number> {
  const {
    scene: { joint },
  } = at;
  if (joint < 0) throw new CoreError('argument-invalid', 'Choose a joint first.');
  if (part.role === 'fixed')
    throw new CoreError('argument-invalid', `“${part.name}” has no weights of its own.`);
  const points = islandOf(paint.neighbours, point);
  const delta = tieToJoint(index, skin.rows, points, joint, rulesOf(at));
  await at.document.perform(`Tie a piece of ${part.name} to ${at.document.jointName(joint)}`, {
    weights: [delta],
  });
  return delta.points.length;
}

/** Blends the borders between regions of the shown parts, or of the selection if there is one. */
export async function blendShownBorders(at: At, rings: number, limit: number): Promise<number> {
  const {
    scene: { selection },
  } = at;
  const rules = rulesOf(at, limit);
  const change: Change = shownParts(at.scene.parts).flatMap(({ index, part, skin, paint }) => {
    if (part.role === 'fixed') return [];
    const within = selection.count > 0 ? selection.masks[index] : undefined;
    const delta = blendBorders(index, skin.rows, paint, rings, rules, within);
    return delta.points.length > 0 ? [delta] : [];
  });
  await at.document.perform(`Blend borders over ${rings} ${rings === 1 ? 'ring' : 'rings'}`, {
    weights: change,
  });
  return countPoints(change);
}

/** Shows the selection spread along the chosen chain, to be kept or dropped. */
export async function proposeChain(at: At, settings: ChainSettings, limit: number): Promise<void> {
  const chain = chosenChain(at);
  const points = at.scene.selection.points();
  if (points.size === 0) throw new CoreError('argument-invalid', 'Select the surface to spread first.');
  await at.document.proposals.drop();
  const places = restPlaces(at.document.skeleton);
  const rules = rulesOf(at, limit);
  const change: Change = [...points].flatMap(([part, list]) => {
    const { skin, paint } = at.scene.parts[part];
    const positions = restPositions(at, part);
    const delta = spreadChain(
      part,
      skin.rows,
      paint.neighbours,
      positions,
      list,
      chain,
      places,
      settings,
      rules,
    );
    return delta.points.length > 0 ? [delta] : [];
  });
  const names = [chain[0], chain[chain.length - 1]].map((joint) => at.document.jointName(joint));
  await at.document.proposals.propose(
    `Spread along ${chain.length === 1 ? names[0] : names.join(' to ')}`,
    change,
  );
}
