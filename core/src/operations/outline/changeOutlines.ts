import type { CharacterPart } from '../../document/character.ts';
import { editOf, type Edit } from '../../document/edit.ts';
import type { Json } from '../../document/json.ts';
import { partPath } from '../../document/paths.ts';
import { changeValues, type DocumentValues, type ValueChange } from '../../document/values.ts';
import type { Drawing } from '../../drawing/drawing.ts';
import type { LayerOutlines } from '../../drawing/layerOutlines.ts';
import { OutlineEditor, type AddedPoint, type OutlineCut } from '../../drawing/OutlineEditor.ts';
import { DeltaBuilder, type Delta } from '../../weights/delta.ts';
import { mixRows } from '../../weights/mixRows.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';

/** A flat character as it is now, whose outlines are to be changed. */
export interface OutlineSubject {
  readonly drawing: Drawing;
  readonly parts: readonly CharacterPart[];
  readonly rows: readonly WeightRows[];
  readonly values: DocumentValues;
}

/** By layer, where its outlines get points. */
export type LayerCuts = ReadonlyMap<number, readonly OutlineCut[]>;

/**
 * Adds anchors where outlines are cut; the curves stay the same, and the anchors' weights are those of the place (a mix of
 * the weights of the curve's points, as the place is one of theirs); handles have their anchors'.
 *
 * @returns the edit, and by layer the points of the added anchors
 * @throws CoreError argument-invalid if a layer would have too many points
 */
export function addOutlinePoints(
  subject: OutlineSubject,
  cuts: LayerCuts,
): { edit: Edit; anchors: ReadonlyMap<number, readonly number[]> } {
  const anchors = new Map<number, readonly number[]>();
  const edit = changeLayers(subject, [...cuts.keys()], (editor, layer) => {
    anchors.set(layer, editor.cut(cuts.get(layer) ?? []));
  });
  return { edit, anchors };
}

/**
 * Takes anchors out of the outlines of a layer, with their handles.
 * @returns the edit, and the anchors that had to stay: an outline needs two segments if it is closed, and one if it is not
 */
export function takeOutPoints(
  subject: OutlineSubject,
  layer: number,
  anchors: readonly number[],
): { edit: Edit; stayed: number[] } {
  const stayed: number[] = [];
  const edit = changeLayers(subject, [layer], (editor) => {
    for (const anchor of anchors) if (!editor.takeOut(anchor)) stayed.push(anchor);
  });
  return { edit, stayed };
}

/** Makes outlines pass anchors without a corner, or with one. */
export const bendAtAnchors = (
  subject: OutlineSubject,
  layer: number,
  anchors: readonly number[],
  kind: 'smooth' | 'corner',
): Edit =>
  changeLayers(subject, [layer], (editor) => {
    for (const anchor of anchors) editor[kind](anchor);
  });

/** By layer and point, the places at rest that points get: x and y. */
export type PointPlaces = ReadonlyMap<number, ReadonlyMap<number, readonly [number, number]>>;

/** Moves points of outlines at rest. */
export const moveOutlinePoints = (subject: OutlineSubject, places: PointPlaces): Edit =>
  changeLayers(subject, [...places.keys()], (editor, layer) => {
    for (const [point, [x, y]] of places.get(layer) ?? []) editor.move(point, x, y);
  });

function changeLayers(
  { drawing, parts, rows, values }: OutlineSubject,
  layers: readonly number[],
  change: (editor: OutlineEditor, layer: number) => void,
): Edit {
  const weights: Delta[] = [];
  const wanted: Record<string, Json> = {};
  for (const layer of [...layers].sort((a, b) => a - b)) {
    const path = partPath(layer, 'outlines');
    const held = values[path] as unknown as LayerOutlines | undefined;
    const editor = new OutlineEditor(drawing.layers[layer], parts[layer], held);
    change(editor, layer);
    wanted[path] = editor.result() as unknown as Json;
    if (editor.added.length > 0) weights.push(mixedRows(layer, rows[layer], editor.added));
  }
  const changed: ValueChange = changeValues(values, wanted);
  return editOf({ weights, values: changed });
}

function mixedRows(layer: number, rows: WeightRows, added: readonly AddedPoint[]): Delta {
  const builder = new DeltaBuilder(layer, rows.stride, added.length);
  const none = createRows(1, rows.stride);
  const mixed = createRows(1, rows.stride);
  for (const { point, of, shares } of added) {
    mixRows(mixed, 0, rows, { of, shares });
    builder.push(point, none, 0, mixed, 0);
  }
  return builder.finish();
}
