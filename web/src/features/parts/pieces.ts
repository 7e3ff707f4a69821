import { changeValues, type Json, partPath, type PartPiece, piecePath } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { findIslands, listMask, maskOf, type PointMask } from '@judoka/core/mesh';
import { islandOf, tieToJoint } from '@judoka/core/operations/bind';
import { rulesOf } from '../../scene/scope.ts';
import { maskOfPiece } from '../../scene/Visibility.ts';
import type { Editing } from '../../scene/Editing.ts';

// Parts as the person sees them: names, roles, and islands split off into pieces. The file's own parts stay as they are.

/** Islands split off one by one are at most this many: more are a cloud, not pieces. */
const MAX_PIECES = 300;

export const piecesOf = ({ document }: Editing, part: number): readonly PartPiece[] =>
  document.settings.pieces[part] ?? [];

/** Puts pieces of a part in place of those that it has, as one edit. */
function putPieces(at: Editing, label: string, part: number, pieces: readonly PartPiece[]): void {
  at.document.setValues(label, pathsOf(at, part, pieces));
}

function pathsOf(at: Editing, part: number, pieces: readonly PartPiece[]): Record<string, Json> {
  const paths: Record<string, Json> = {};
  for (const { id } of piecesOf(at, part)) paths[piecePath(part, id)] = null;
  for (const { id, ...piece } of pieces) paths[piecePath(part, id)] = { ...piece };
  return paths;
}

export function renamePart(at: Editing, part: number, name: string): void {
  const wanted = name.trim().slice(0, 120);
  if (wanted)
    at.document.setValues(`Rename part ${at.document.partName(part)}`, { [partPath(part, 'name')]: wanted });
}

/** Makes a part follow one joint whole, and keeps bindings off it; or gives it back to them. */
export async function setRole(
  at: Editing,
  part: number,
  role: 'skinned' | 'rigid',
  joint: number,
): Promise<void> {
  const { document } = at;
  const values = changeValues(document.values, {
    [partPath(part, 'role')]: role === 'rigid' ? 'rigid' : null,
  });
  if (role === 'skinned') {
    await document.perform(`Let ${document.partName(part)} be bound`, { values });
    return;
  }
  if (joint < 0) throw new CoreError('argument-invalid', 'Choose the joint that the part follows first.');
  const { rows } = at.scene.parts[part].skin;
  const all = Uint32Array.from({ length: rows.pointCount }, (_, p) => p);
  const delta = tieToJoint(part, rows, all, joint, rulesOf(at));
  const weights = delta.points.length > 0 ? [delta] : [];
  await document.perform(`Tie ${document.partName(part)} to ${document.jointName(joint)}`, {
    weights,
    values,
  });
}

/** The joint that most of a part follows; -1 without weights. */
export function heaviestJoint(at: Editing, part: number): number {
  const { joints, values } = at.scene.parts[part].skin.rows;
  const mass = new Float64Array(at.document.skeleton.joints.length);
  for (let i = 0; i < values.length; i++) if (values[i] > 0) mass[joints[i]] += values[i];
  let best = -1;
  for (let j = 0; j < mass.length; j++) if (mass[j] > 0 && (best < 0 || mass[j] > mass[best])) best = j;
  return best;
}

/** Splits the islands that the selection touches off their parts, a piece a part. */
export function splitSelection(at: Editing): void {
  const points = at.scene.selection.points();
  if (points.size === 0)
    throw new CoreError('argument-invalid', 'Select a point of each island to split off.');
  const paths: Record<string, Json> = {};
  for (const [part, list] of points) {
    const { neighbours } = at.scene.parts[part].paint;
    const seeds = seedsOf(neighbours, maskOf(list, at.scene.parts[part].part.pointCount));
    const others = withoutSeeds(at, part, seeds);
    const name = `${at.document.partName(part)} piece ${others.length + 1}`;
    Object.assign(
      paths,
      pathsOf(at, part, [...others, { id: crypto.randomUUID(), name, seeds, savedAt: Date.now() }]),
    );
  }
  at.document.setValues('Split islands off', paths);
}

/** Splits a part into its islands, largest first. @throws CoreError if there is one only, or a cloud of them */
export function splitIslands(at: Editing, part: number): void {
  const { paint } = at.scene.parts[part];
  const { ofPoint, count } = findIslands(paint.neighbours);
  if (count < 2) throw new CoreError('argument-invalid', 'This part hangs together: it is one island.');
  if (count > MAX_PIECES)
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
    id: crypto.randomUUID(),
    name: `${at.document.partName(part)} ${i + 1}`,
    seeds: [seeds[island]],
    savedAt: Date.now() + i,
  }));
  putPieces(at, `Split ${at.document.partName(part)}`, part, pieces);
}

/** Joins one piece to its part again, or all. */
export function joinPieces(at: Editing, part: number, piece?: string): void {
  const left = piece === undefined ? [] : piecesOf(at, part).filter(({ id }) => id !== piece);
  putPieces(at, `Join pieces of ${at.document.partName(part)}`, part, left);
}

export function renamePiece(at: Editing, part: number, piece: PartPiece, name: string): void {
  const { id, ...rest } = piece;
  at.document.setValues(`Rename piece ${piece.name}`, {
    [piecePath(part, id)]: { ...rest, name: name.trim().slice(0, 120) },
  });
}

/** Shows one piece alone; its part and the other pieces of it are hidden. A second time, all of them show. */
export function isolatePiece(at: Editing, part: number, piece: string): void {
  const { visibility } = at.scene;
  const pieces = piecesOf(at, part);
  const alone = pieces.every(({ id }) => visibility.isPieceVisible(id) === (id === piece));
  for (const { id } of pieces) visibility.setPieceVisible(part, id, alone || id === piece);
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
function withoutSeeds(at: Editing, part: number, seeds: readonly number[]): PartPiece[] {
  const taken = maskOfPiece(at.scene.parts[part], seeds);
  return piecesOf(at, part)
    .map((piece) => ({ ...piece, seeds: piece.seeds.filter((seed) => !taken[seed]) }))
    .filter(({ seeds: left }) => left.length > 0);
}
