import { CoreError } from '../errors.ts';
import { MAX_ALL_ADDED_POINTS } from '../drawing/layerOutlines.ts';
import { MAX_ADDED_MESH_POINTS } from '../mesh/meshChange.ts';
import { createRows, DEFAULT_STRIDE, type WeightRows } from '../weights/rows.ts';
import { readSettings } from './settings.ts';
import type { DocumentValues, ValueChange } from './values.ts';

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

/** By part, how many points it has before and after a change; a cage comes or goes. */
export type PointCounts = ReadonlyMap<
  number,
  { readonly before: number; readonly after: number; readonly isCage: boolean }
>;

/** So many numbers of parts may be left out before one that is made: those of others that were taken away again. */
const MAX_GAP = 64;

/** What says how many points a part has: outlines, a mesh, or a cage that it is. */
interface Counted {
  readonly from?: number;
  readonly points: number;
}

/** Parts whose number of points a change of values changes: how many they have before and after it. */
export function pointCounts(change: ValueChange): PointCounts {
  const lines = new Map<number, Partial<Record<'own' | 'cage', ValueChange[number]>>>();
  for (const line of change) {
    const [section, key, field] = line.path.split('/');
    if (section !== 'parts' || !['outlines', 'mesh', 'cage'].includes(field)) continue;
    const held = lines.get(Number(key)) ?? {};
    lines.set(Number(key), { ...held, [field === 'cage' ? 'cage' : 'own']: line });
  }
  return new Map(
    [...lines].map(([part, { own, cage }]) => {
      const points = (when: 'before' | 'after'): number => {
        const [said, made] = [own, cage].map((line) => line?.[when] as unknown as Counted | null | undefined);
        // Of the file's points, or the cage's, where nothing was added to them.
        const came = ((own?.before ?? own?.after) as unknown as Counted | null | undefined)?.from ?? 0;
        return said?.points ?? made?.points ?? (cage ? 0 : came);
      };
      return [part, { before: points('before'), after: points('after'), isCage: cage !== undefined }];
    }),
  );
}

/**
 * Rows with room for the points that parts have before and after an edit, and for parts that it makes.
 * @throws CoreError delta-mismatch where parts have not as many points as before it
 */
export function withRoom(rows: readonly WeightRows[], counts: PointCounts): readonly WeightRows[] {
  if (counts.size === 0) return rows;
  const length = Math.max(rows.length, ...[...counts.keys()].map((part) => part + 1));
  for (const [part, { before, isCage }] of counts)
    if (
      part >= rows.length + (isCage ? MAX_GAP : 0) ||
      ((rows[part] as WeightRows | undefined)?.pointCount ?? 0) !== before
    )
      throw new CoreError(
        'delta-mismatch',
        `This edit was made on other outlines, or another mesh (part ${part + 1}).`,
        { part },
      );
  return Array.from({ length }, (_, i) => {
    const own = (rows[i] as WeightRows | undefined) ?? createRows(0, DEFAULT_STRIDE);
    const count = counts.get(i);
    return count ? withPointCount(own, Math.max(count.before, count.after)) : own;
  });
}

/** Rows of {@link withRoom} as they are after the edit: parts at the end that have no points any more are gone. */
export function withoutRoom(rows: readonly WeightRows[], counts: PointCounts): readonly WeightRows[] {
  const after = rows.map((own, i) => withPointCount(own, counts.get(i)?.after ?? own.pointCount));
  if ([...counts.values()].some((count) => count.after === 0))
    while (after.length > 0 && after[after.length - 1].pointCount === 0) after.pop();
  return after;
}
