import { counted } from '@judoka/core/document';
import { anchorsOfPoints, type OutlineCut } from '@judoka/core/drawing';
import {
  addOutlinePoints,
  bendAtAnchors,
  cutsAlong,
  cutsAtJoints,
  moveOutlinePoints,
  takeOutPoints,
  type OutlineSubject,
  type PointPlaces,
} from '@judoka/core/operations/outline';
import { composeEdits, EMPTY_EDIT } from '@judoka/core/document';
import type { Editing } from '../../scene/Editing.ts';

/** What core changes outlines of: the drawing as it is now. @throws for a character that is none */
export function outlineSubject({ document }: Pick<Editing, 'document'>): OutlineSubject {
  const { drawing, parts } = document.character;
  if (!drawing) throw new Error('Only drawings have outlines.');
  return { drawing, parts, rows: document.rowsOfPart(), values: document.values };
}

/** Adds points where the bends of joints need them, on layers that are shown; tells how many. */
export async function addAtBends(at: Editing, joints: readonly number[], perSide: number): Promise<void> {
  const { document, scene } = at;
  const subject = { ...outlineSubject(at), skeleton: document.skeleton };
  const layers = scene.parts.filter(({ visible }) => visible).map(({ index }) => index);
  const cuts = cutsAtJoints(subject, { joints, perSide, layers });
  const { edit, anchors } = addOutlinePoints(subject, cuts);
  const count = [...anchors.values()].reduce((sum, added) => sum + added.length, 0);
  const where = joints.length === 1 ? document.jointName(joints[0]) : counted(joints.length, 'joint');
  if (count === 0) {
    document.notify(
      `No outline lacks points at ${where}: no layer that is shown bends there, or its points are there already.`,
    );
    return;
  }
  await document.perform(`Add points at ${where}`, edit);
  document.notify(`${counted(count, 'point')} added on ${counted(anchors.size, 'layer')}.`);
}

/** Adds points along the outlines of layers that are shown, none farther from the next than a share of the page's height. */
export async function addAlong(at: Editing, share: number): Promise<void> {
  const subject = outlineSubject(at);
  const { page, scale } = subject.drawing;
  const layers = at.scene.parts.filter(({ visible }) => visible).map(({ index }) => index);
  const cuts = cutsAlong(subject, layers, share * page[3] * scale);
  const { edit, anchors } = addOutlinePoints(subject, cuts);
  const count = [...anchors.values()].reduce((sum, added) => sum + added.length, 0);
  if (count === 0) {
    at.document.notify('No points of the layers that are shown lie farther apart than that.');
    return;
  }
  await at.document.perform('Add points along outlines', edit);
  at.document.notify(`${counted(count, 'point')} added on ${counted(anchors.size, 'layer')}.`);
}

/** Adds one point to an outline. */
export async function addPoint(at: Editing, layer: number, cut: OutlineCut): Promise<void> {
  const { edit } = addOutlinePoints(outlineSubject(at), new Map([[layer, [cut]]]));
  await at.document.perform(`Add a point to ${at.document.partName(layer)}`, edit);
}

export async function movePoints(at: Editing, places: PointPlaces): Promise<void> {
  const names = [...places.keys()].map((layer) => at.document.partName(layer));
  await at.document.perform(`Shape ${names.join(', ')}`, moveOutlinePoints(outlineSubject(at), places));
}

/** Selected anchors by layer; of a selected handle its anchor. */
export function selectedAnchors({ document, scene }: Editing): Map<number, number[]> {
  const { drawing, parts } = document.character;
  const found = new Map<number, number[]>();
  if (!drawing) return found;
  for (const [layer, points] of scene.selection.points()) {
    const { vertexPoint, pointCount } = parts[layer];
    const anchors = anchorsOfPoints(drawing.layers[layer], vertexPoint, pointCount);
    found.set(
      layer,
      [...new Set([...points].map((p) => anchors[p]))].sort((a, b) => a - b),
    );
  }
  return found;
}

/** Takes anchors out of their outlines. */
export async function takeOut(at: Editing, anchors: ReadonlyMap<number, readonly number[]>): Promise<void> {
  const subject = outlineSubject(at);
  let [edit, stayed, asked] = [EMPTY_EDIT, 0, 0];
  for (const [layer, list] of anchors) {
    const made = takeOutPoints(subject, layer, list);
    edit = composeEdits(edit, made.edit);
    stayed += made.stayed.length;
    asked += list.length;
  }
  if (stayed > 0)
    at.document.notify(
      `${counted(stayed, 'point stays', 'points stay')}: an outline keeps two points, or is none.`,
    );
  if (asked > stayed) await at.document.perform(`Take out ${counted(asked - stayed, 'point')}`, edit);
}

export async function bendAt(
  at: Editing,
  anchors: ReadonlyMap<number, readonly number[]>,
  kind: 'smooth' | 'corner',
): Promise<void> {
  const subject = outlineSubject(at);
  let edit = EMPTY_EDIT;
  for (const [layer, list] of anchors) edit = composeEdits(edit, bendAtAnchors(subject, layer, list, kind));
  const count = [...anchors.values()].reduce((sum, { length }) => sum + length, 0);
  await at.document.perform(
    kind === 'smooth' ? `Smooth at ${counted(count, 'point')}` : `Corners at ${counted(count, 'point')}`,
    edit,
  );
}
