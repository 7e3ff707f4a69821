import type { CharacterPart } from '../../document/character.ts';
import { editOf, type Edit } from '../../document/edit.ts';
import type { Json } from '../../document/json.ts';
import { movedValues, readMoved } from '../../document/movedPoints.ts';
import { partPath } from '../../document/paths.ts';
import { readSettings } from '../../document/settings.ts';
import { changeValues, type DocumentValues } from '../../document/values.ts';
import { CoreError } from '../../errors.ts';
import type { MeshChange } from '../../mesh/meshChange.ts';
import { DeltaBuilder, type Delta } from '../../weights/delta.ts';
import { mixRows } from '../../weights/mixRows.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';
import { MeshEditor, type PlacedPoint } from './MeshEditor.ts';
import { quadRing } from './quadRing.ts';

/** A part as the document has it, whose mesh is to be changed. */
export interface MeshSubject {
  readonly part: CharacterPart;
  readonly index: number;
  readonly rows: WeightRows;
  readonly values: DocumentValues;
}

/** An edge by its points, and how far from the first to the second. */
export interface EdgePlace {
  readonly a: number;
  readonly b: number;
  readonly share: number;
}

/** A point nearer to an end than this share of the edge would lie on it. */
export const MIN_SHARE = 0.01;

export interface MeshEdit {
  readonly edit: Edit;
  /** The points that were added. */
  readonly added: readonly number[];
}

/**
 * Puts a loop along the row of quads that an edge stands across: a point on each of its edges at the same share, and an edge through
 * each quad. Weights, places and all else of a new point are linear along its edge. Where the row ends at a triangle, that is halved.
 *
 * @throws CoreError argument-invalid where no loop can be put, and why
 */
export function insertLoop(subject: MeshSubject, place: EdgePlace): MeshEdit {
  return changeMesh(subject, (editor) => {
    const ring = quadRing(editor.faces, place.a, place.b);
    if (ring.crosses)
      throw new CoreError(
        'argument-invalid',
        'The row of quads crosses itself: a loop would cut the same quad twice. Put points on single edges instead.',
      );
    if (ring.rungs.length < 2)
      throw new CoreError(
        'argument-invalid',
        'No quad lies at this edge: a loop runs through quads. Put a point on the edge instead.',
      );
    editor.putOn(ring.rungs.map(([a, b]) => ({ a, b, share: place.share })));
  });
}

/** Puts a point on an edge; the faces beside it are divided from there. @throws CoreError argument-invalid */
export const insertPoint = (subject: MeshSubject, place: EdgePlace): MeshEdit =>
  changeMesh(subject, (editor) => editor.putOn([place]));

/** Turns edges, one after the other, see {@link MeshEditor.turn}. @throws CoreError argument-invalid */
export const turnEdge = (subject: MeshSubject, a: number, b: number): MeshEdit =>
  changeMesh(subject, (editor) => editor.turn(a, b));

/** Takes points out, see {@link MeshEditor.takeOut}. @throws CoreError argument-invalid */
export const takeOutPoints = (subject: MeshSubject, points: readonly number[]): MeshEdit =>
  changeMesh(subject, (editor) => editor.takeOut(points));

function changeMesh(subject: MeshSubject, change: (editor: MeshEditor) => void): MeshEdit {
  const { part, index, rows, values } = subject;
  const path = partPath(index, 'mesh');
  const held = values[path] as unknown as MeshChange | undefined;
  const editor = new MeshEditor(part, held);
  change(editor);
  const { placed } = editor;
  const wanted: Record<string, Json> = { [path]: editor.result() as unknown as Json };
  Object.assign(wanted, movedOfAdded(index, values, placed));
  const delta = addedRows(index, rows, placed);
  const edit = editOf({
    weights: delta.points.length > 0 ? [delta] : [],
    values: changeValues(values, wanted),
  });
  return { edit, added: placed.map(({ point }) => point) };
}

/** Gives a part the mesh that its file has: points that were added go, with their weights. */
export function meshAsInFile({ part, index, rows, values }: MeshSubject): Edit {
  const path = partPath(index, 'mesh');
  const held = values[path] as unknown as MeshChange | undefined;
  if (!held) return editOf({});
  const builder = new DeltaBuilder(index, rows.stride, part.pointCount - held.from);
  const none = createRows(1, rows.stride);
  for (let p = held.from; p < part.pointCount; p++) builder.push(p, rows, p, none, 0);
  const delta = builder.finish();
  const moved = readSettings(values).moved[index] ?? {};
  const back = [...readMoved(moved).points].filter((p) => p >= held.from).map((p) => [p, [0, 0, 0]] as const);
  return editOf({
    weights: delta.points.length > 0 ? [delta] : [],
    values: changeValues(values, { [path]: null, ...movedValues(index, moved, new Map(back)) }),
  });
}

/** Where the ends of an edge are moved at rest, a point on it is as well. */
function movedOfAdded(
  part: number,
  values: DocumentValues,
  placed: readonly PlacedPoint[],
): Record<string, Json> {
  const held = readSettings(values).moved[part];
  if (!held || placed.length === 0) return {};
  const { points, moves } = readMoved(held);
  const byPoint = new Map([...points].map((p, i) => [p, moves.subarray(i * 3, i * 3 + 3)]));
  const none = new Float32Array(3);
  const wanted = new Map<number, [number, number, number]>();
  for (const { point, a, b, share } of placed) {
    const [one, other] = [a, b].map((p) => byPoint.get(p) ?? none);
    const [x, y, z] = [0, 1, 2].map((k) => (1 - share) * one[k] + share * other[k]);
    wanted.set(point, [x, y, z]);
  }
  return movedValues(part, held, wanted);
}

function addedRows(part: number, rows: WeightRows, placed: readonly PlacedPoint[]): Delta {
  const builder = new DeltaBuilder(part, rows.stride, placed.length);
  const none = createRows(1, rows.stride);
  const mixed = createRows(1, rows.stride);
  for (const { point, a, b, share } of placed) {
    mixRows(mixed, 0, rows, { of: [a, b], shares: [1 - share, share], limit: rows.stride });
    builder.push(point, none, 0, mixed, 0);
  }
  return builder.finish();
}
