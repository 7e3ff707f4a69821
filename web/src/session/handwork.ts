import { blendBorders } from '@judoka/core/operations/paint';
import { chainOf, type ChainSettings, islandOf, spreadChain, tieToJoint } from '@judoka/core/operations/bind';
import { CoreError } from '@judoka/core/errors';
import { restPlaces } from '@judoka/core/skeleton';
import type { Change } from '@judoka/core/weights';
import type { CharacterSession } from './CharacterSession.ts';
import { restPositions, rulesOf } from './scope.ts';
import type { SessionPart } from './sessionPart.ts';

// Bindings by hand: what is selected is given, blended or spread.

/** Gives the selected points to a joint whole. @returns how many changed */
export async function giveSelection(session: CharacterSession, joint: number): Promise<number> {
  if (joint < 0) throw new CoreError('argument-invalid', 'Choose the joint that gets the selection first.');
  const points = session.selection.points();
  if (points.size === 0) throw new CoreError('argument-invalid', 'Select the points to give first.');
  const rules = rulesOf(session);
  const change = [...points]
    .map(([part, list]) => tieToJoint(part, session.parts[part].skin.rows, list, joint, rules))
    .filter(({ points: changed }) => changed.length > 0);
  await session.perform(`Give ${session.selection.count} points to ${session.jointName(joint)}`, change);
  return change.reduce((sum, delta) => sum + delta.points.length, 0);
}

/** Gives the whole island about a point to the chosen joint. @returns how many points changed */
export async function tieIsland(
  session: CharacterSession,
  { index, part, skin, paint }: SessionPart,
  point: number,
): Promise<number> {
  const { joint } = session;
  if (joint < 0) throw new CoreError('argument-invalid', 'Choose a joint first.');
  if (part.role === 'fixed')
    throw new CoreError('argument-invalid', `“${part.name}” has no weights of its own.`);
  const points = islandOf(paint.neighbours, point);
  const delta = tieToJoint(index, skin.rows, points, joint, rulesOf(session));
  await session.perform(`Tie a piece of ${part.name} to ${session.jointName(joint)}`, [delta]);
  return delta.points.length;
}

/** Blends the borders between regions of the shown parts, or of the selection if there is one. */
export async function blendShownBorders(
  session: CharacterSession,
  rings: number,
  limit: number,
): Promise<number> {
  const { selection } = session;
  const rules = rulesOf(session, limit);
  const change: Change = session.parts.flatMap(({ index, part, visible, skin, paint }) => {
    if (!visible || part.role !== 'skinned') return [];
    const within = selection.count > 0 ? selection.masks[index] : undefined;
    const delta = blendBorders(index, skin.rows, paint, rings, rules, within);
    return delta.points.length > 0 ? [delta] : [];
  });
  await session.perform(`Blend borders over ${rings} ${rings === 1 ? 'ring' : 'rings'}`, change);
  return change.reduce((sum, delta) => sum + delta.points.length, 0);
}

/** The chain that the chosen joints mean, as names; undefined where they mean none. */
export function chosenChain(session: CharacterSession): number[] | undefined {
  try {
    return chainOf(session.skeleton, session.chosenJoints());
  } catch {
    return undefined;
  }
}

/** Shows the selection spread along the chosen chain, to be kept or dropped. */
export async function proposeChain(
  session: CharacterSession,
  settings: ChainSettings,
  limit: number,
): Promise<void> {
  const chain = chainOf(session.skeleton, session.chosenJoints());
  const points = session.selection.points();
  if (points.size === 0) throw new CoreError('argument-invalid', 'Select the surface to spread first.');
  await session.proposals.drop();
  const places = restPlaces(session.skeleton);
  const rules = rulesOf(session, limit);
  const change: Change = [...points].flatMap(([part, list]) => {
    const { skin, paint } = session.parts[part];
    const positions = restPositions(session, part);
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
  const names = [chain[0], chain[chain.length - 1]].map((joint) => session.jointName(joint));
  await session.proposals.propose(
    `Spread along ${chain.length === 1 ? names[0] : names.join(' to ')}`,
    change,
  );
}
