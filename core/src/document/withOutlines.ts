import { CoreError } from '../errors.ts';
import { MAX_ALL_ADDED_POINTS, withLayerOutlines, type LayerOutlines } from '../drawing/layerOutlines.ts';
import { MAX_ADDED_MESH_POINTS, type MeshChange } from '../mesh/meshChange.ts';
import { recoverQuads } from '../mesh/quads.ts';
import { createRows, type WeightRows } from '../weights/rows.ts';
import type { Character } from './character.ts';
import { readSettings, type DocumentSettings } from './settings.ts';
import type { DocumentValues, ValueChange } from './values.ts';

/**
 * A flat character whose layers have other outlines than its file. Points that were added have no weights of the file's.
 * What is not about a layer of the drawing is passed over.
 */
export function withOutlines(character: Character, outlines: DocumentSettings['outlines']): Character {
  const { drawing } = character;
  if (!drawing || Object.keys(outlines).length === 0) return character;
  const layers = [...drawing.layers];
  const parts = character.parts.map((part, i) => {
    const changed = outlines[i];
    const made = changed && withLayerOutlines(layers[i], part, changed);
    if (!made) return part;
    layers[i] = made.layer;
    const { offsets, points } = recoverQuads(made.part.triangles, made.part.positions);
    return { ...part, ...made.part, corners: undefined, polygonOffsets: offsets, polygonPoints: points };
  });
  return {
    ...character,
    drawing: { ...drawing, layers },
    parts,
    rows: character.rows.map((rows, i) => withPointCount(rows, parts[i].pointCount)),
    sourceWeights: character.sourceWeights.map((source, i) =>
      parts[i] === character.parts[i] ? source : { ...source, asCame: new Uint8Array(parts[i].vertexCount) },
    ),
  };
}

/** Rows of so many points: the same arrays where they are as many, else with empty rows behind, or cut. */
export function withPointCount(rows: WeightRows, pointCount: number): WeightRows {
  if (rows.pointCount === pointCount) return rows;
  const out = createRows(pointCount, rows.stride);
  const kept = Math.min(pointCount, rows.pointCount) * rows.stride;
  out.joints.set(rows.joints.subarray(0, kept));
  out.values.set(rows.values.subarray(0, kept));
  return out;
}

/** @throws CoreError argument-invalid if more points are added to a drawing than there may be */
export function checkAddedPoints(values: DocumentValues): void {
  const { outlines: all, meshes } = readSettings(values);
  for (const mesh of Object.values(meshes))
    if (mesh && mesh.points - mesh.from > MAX_ADDED_MESH_POINTS)
      throw new CoreError(
        'argument-invalid',
        `A part takes at most ${MAX_ADDED_MESH_POINTS} added points; there would be ${mesh.points - mesh.from}.`,
        { count: mesh.points - mesh.from },
      );
  let count = 0;
  for (const outlines of Object.values(all)) if (outlines) count += outlines.points - outlines.from;
  if (count > MAX_ALL_ADDED_POINTS)
    throw new CoreError(
      'argument-invalid',
      `A drawing takes at most ${MAX_ALL_ADDED_POINTS} added points; there would be ${count}. Add fewer, or to fewer layers.`,
      { count },
    );
}

/** Parts whose number of points a change of values changes: how many they have before and after it. */
export function pointCounts(change: ValueChange): Map<number, { before: number; after: number }> {
  const counts = new Map<number, { before: number; after: number }>();
  for (const { path, before, after } of change) {
    const [section, part, field] = path.split('/');
    if (section !== 'parts' || (field !== 'outlines' && field !== 'mesh')) continue;
    type Counted = Pick<LayerOutlines | MeshChange, 'from' | 'points'> | null;
    const [was, is] = [before, after] as unknown as [Counted, Counted];
    const from = (is ?? was)?.from ?? 0;
    counts.set(Number(part), { before: was?.points ?? from, after: is?.points ?? from });
  }
  return counts;
}

/**
 * Rows with room for the points that parts have before and after an edit.
 * @throws CoreError delta-mismatch where parts have not as many points as before it
 */
export function withRoom(
  rows: readonly WeightRows[],
  counts: ReturnType<typeof pointCounts>,
): readonly WeightRows[] {
  if (counts.size === 0) return rows;
  for (const [part, { before }] of counts)
    if ((rows[part] as WeightRows | undefined)?.pointCount !== before)
      throw new CoreError(
        'delta-mismatch',
        `This edit was made on other outlines, or another mesh (part ${part + 1}).`,
        {
          part,
        },
      );
  return rows.map((own, i) => {
    const count = counts.get(i);
    return count ? withPointCount(own, Math.max(count.before, count.after)) : own;
  });
}
