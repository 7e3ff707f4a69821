import type { CharacterSettings, PartPiece, PartSettings } from '@judoka/contract';
import { CoreError } from '@judoka/core/errors';
import { findIslands, islandsOfMask, listMask, maskOf, type PointMask } from '@judoka/core/mesh';
import { islandOf, tieToJoint } from '@judoka/core/operations/bind';
import type { CharacterSession } from './CharacterSession.ts';
import { rulesOf } from './scope.ts';

// Parts as the person sees them: names, roles, and islands split off into pieces. The file's own parts stay as they are.

/** Islands split off one by one are at most this many: more are a cloud, not pieces. */
const MOST_PIECES = 300;

export const settingsOf = (session: CharacterSession, part: number): PartSettings =>
  session.settings.parts[part] ?? {};

/** The points of a piece: all islands that its seeds lie on. */
export function maskOfPiece({ parts }: CharacterSession, part: number, piece: PartPiece): PointMask {
  const { pointCount } = parts[part].part;
  const seeds = piece.seeds.filter((seed) => seed < pointCount);
  return islandsOfMask(parts[part].paint.neighbours, maskOf(seeds, pointCount));
}

/** Points of a part in pieces that are hidden; undefined where none is. */
export function hiddenMask(session: CharacterSession, part: number): PointMask | undefined {
  const hidden = (settingsOf(session, part).pieces ?? []).filter(({ visible }) => !visible);
  if (hidden.length === 0) return undefined;
  const seeds = hidden.flatMap(({ seeds: own }) => own);
  return maskOfPiece(session, part, { name: '', seeds, visible: false });
}

function change(session: CharacterSession, part: number, more: PartSettings): void {
  const parts: CharacterSettings['parts'] = {
    ...session.settings.parts,
    [part]: { ...settingsOf(session, part), ...more },
  };
  session.setSettings({ parts });
  if (more.pieces) session.showing.piecesChanged(part);
}

export function renamePart(session: CharacterSession, part: number, name: string): void {
  const wanted = name.trim();
  if (wanted) change(session, part, { name: wanted.slice(0, 120) });
}

/** Makes a part follow one joint whole, and keeps bindings off it; or gives it back to them. */
export async function setRole(
  session: CharacterSession,
  part: number,
  role: 'skinned' | 'rigid',
  joint: number,
): Promise<void> {
  if (role === 'rigid') {
    if (joint < 0) throw new CoreError('argument-invalid', 'Choose the joint that the part follows first.');
    const { rows } = session.parts[part].skin;
    const all = Uint32Array.from({ length: rows.pointCount }, (_, p) => p);
    const delta = tieToJoint(part, rows, all, joint, rulesOf(session));
    await session.perform(`Tie ${session.partName(part)} to ${session.jointName(joint)}`, [delta]);
  }
  change(session, part, { role });
}

/** The joint that most of a part follows; -1 without weights. */
export function heaviestJoint(session: CharacterSession, part: number): number {
  const { joints, values } = session.parts[part].skin.rows;
  const mass = new Float64Array(session.skeleton.joints.length);
  for (let i = 0; i < values.length; i++) if (values[i] > 0) mass[joints[i]] += values[i];
  let best = -1;
  for (let j = 0; j < mass.length; j++) if (mass[j] > 0 && (best < 0 || mass[j] > mass[best])) best = j;
  return best;
}

/** Splits the islands that the selection touches off their parts, a piece a part. */
export function splitSelection(session: CharacterSession): void {
  const points = session.selection.points();
  if (points.size === 0)
    throw new CoreError('argument-invalid', 'Select a point of each island to split off.');
  for (const [part, list] of points) {
    const { neighbours } = session.parts[part].paint;
    const seeds = seedsOf(neighbours, maskOf(list, session.parts[part].part.pointCount));
    const others = withoutSeeds(session, part, seeds);
    const name = `${session.partName(part)} piece ${others.length + 1}`;
    change(session, part, { pieces: [...others, { name, seeds, visible: true }] });
  }
}

/** Splits a part into its islands, largest first. @throws CoreError if there is one only, or a cloud of them */
export function splitIslands(session: CharacterSession, part: number): void {
  const { paint } = session.parts[part];
  const { ofPoint, count } = findIslands(paint.neighbours);
  if (count < 2) throw new CoreError('argument-invalid', 'This part hangs together: it is one island.');
  if (count > MOST_PIECES)
    throw new CoreError(
      'argument-invalid',
      `This part has ${count.toLocaleString('en')} islands, more than can be listed. Select some and split those off.`,
    );
  const sizes = new Uint32Array(count);
  const seeds = new Int32Array(count).fill(-1);
  ofPoint.forEach((island, p) => {
    if (island < 0) return;
    sizes[island]++;
    if (seeds[island] < 0) seeds[island] = p;
  });
  const order = [...sizes.keys()].filter((island) => seeds[island] >= 0).sort((a, b) => sizes[b] - sizes[a]);
  const pieces = order.map((island, i) => ({
    name: `${session.partName(part)} ${i + 1}`,
    seeds: [seeds[island]],
    visible: true,
  }));
  change(session, part, { pieces });
}

/** Joins one piece to its part again, or all. */
export function joinPieces(session: CharacterSession, part: number, piece?: number): void {
  const pieces = settingsOf(session, part).pieces ?? [];
  change(session, part, { pieces: piece === undefined ? [] : pieces.filter((_, i) => i !== piece) });
}

export function changePiece(
  session: CharacterSession,
  part: number,
  piece: number,
  more: Partial<PartPiece>,
): void {
  const pieces = settingsOf(session, part).pieces ?? [];
  change(session, part, { pieces: pieces.map((each, i) => (i === piece ? { ...each, ...more } : each)) });
}

/** Shows one piece alone; its part and the other pieces of it are hidden. A second time, all of them show. */
export function isolatePiece(session: CharacterSession, part: number, piece: number): void {
  const pieces = settingsOf(session, part).pieces ?? [];
  const alone = pieces.every(({ visible }, i) => visible === (i === piece));
  change(session, part, { pieces: pieces.map((each, i) => ({ ...each, visible: alone || i === piece })) });
}

function seedsOf(
  neighbours: { readonly offsets: Uint32Array; readonly points: Uint32Array },
  mask: PointMask,
): number[] {
  const left = mask.slice();
  const seeds: number[] = [];
  for (const p of listMask(mask)) {
    if (!left[p]) continue;
    seeds.push(p);
    for (const q of islandOf(neighbours, p)) left[q] = 0;
  }
  return seeds;
}

/** A part's pieces without the islands that these seeds lie on; emptied pieces go. */
function withoutSeeds(session: CharacterSession, part: number, seeds: readonly number[]): PartPiece[] {
  const taken = maskOfPiece(session, part, { name: '', seeds: [...seeds], visible: true });
  return (settingsOf(session, part).pieces ?? [])
    .map((piece) => ({ ...piece, seeds: piece.seeds.filter((seed) => !taken[seed]) }))
    .filter(({ seeds: left }) => left.length > 0);
}
