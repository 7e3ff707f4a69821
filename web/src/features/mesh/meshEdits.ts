import { counted, type Json } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import {
  type EdgePlace,
  insertLoop,
  insertPoint,
  meshAsInFile,
  type MeshEdit,
  type MeshSubject,
  takeOutPoints,
  turnEdge,
} from '@judoka/core/operations/mesh';
import { needLaidOut } from '../../document/needLaidOut.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';

function subjectOf({ document }: Editing, { index, part, skin }: ScenePart): MeshSubject {
  needLaidOut(document);
  return { part, index, rows: skin.rows, values: document.values };
}

async function perform({ document }: Editing, label: string, { edit, added }: MeshEdit): Promise<void> {
  await document.perform(label, edit);
  const locked = [...document.settings.locks].length;
  if (added.length === 0 || locked === 0) return;
  const held = edit.weights.some(({ after }) =>
    after.joints.some((joint, i) => after.values[i] > 0 && document.locks[joint] === 1),
  );
  if (held)
    document.notify('Locked joints have weight on the new points: just what lies between their neighbours’.');
}

/** Puts a loop along the row of quads at an edge. @throws CoreError with why not */
export async function putLoop(at: Editing, part: ScenePart, place: EdgePlace): Promise<void> {
  const made = insertLoop(subjectOf(at, part), place);
  await perform(at, `Loop of ${counted(made.added.length, 'point')}`, made);
}

export async function putPoint(at: Editing, part: ScenePart, place: EdgePlace): Promise<void> {
  await perform(at, 'Point on an edge', insertPoint(subjectOf(at, part), place));
}

export async function turnOne(at: Editing, part: ScenePart, { a, b }: EdgePlace): Promise<void> {
  await perform(at, 'Turn an edge', turnEdge(subjectOf(at, part), a, b));
}

export async function takeOutOf(at: Editing, part: ScenePart, points: readonly number[]): Promise<void> {
  const made = takeOutPoints(subjectOf(at, part), points);
  await perform(at, `Take ${counted(points.length, 'point')} out`, made);
}

/** Takes the selected points out, of one part. @throws CoreError where they are on several */
export async function takeSelectedOut(at: Editing): Promise<void> {
  const { selection, parts } = at.scene;
  const chosen = [...selection.points()];
  if (chosen.length !== 1)
    throw new CoreError('argument-invalid', 'Select points of one part: those are taken out together.');
  const [[index, points]] = chosen;
  await takeOutOf(at, parts[index], [...points]);
  selection.clear();
}

/** Gives parts the mesh, or the places at rest, that their file has. */
export function asInFile(at: Editing, part: number, what: 'mesh' | 'places'): void {
  const { document } = at;
  const name = document.partName(part);
  if (what === 'places') {
    const paths = Object.keys(document.values).filter((path) => path.startsWith(`moved/${part}/`));
    document.setValues(
      `Points of ${name} where they came`,
      Object.fromEntries(paths.map((path) => [path, null as Json])),
    );
    return;
  }
  needLaidOut(document);
  const edit = meshAsInFile(subjectOf(at, at.scene.parts[part]));
  document.perform(`Mesh of ${name} as in the file`, edit).catch(document.notifyError);
}
