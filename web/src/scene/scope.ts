import { type BoundPositions, boundPositions } from '@judoka/core/document';
import { type Confines, jointMass, type RewriteRules } from '@judoka/core/weights';
import { maskOf, type PointMask } from '@judoka/core/mesh';
import type { Editing } from './Editing.ts';
import type { ScenePart } from './ScenePart.ts';
import { shownParts } from './shownParts.ts';

type At = Editing;

// What operations work on: which points, which joints, and where they stand at rest.

/** How much of the surface follows each joint, in points. */
export function jointMasses({ scene: { parts }, document: { skeleton } }: At): Float64Array {
  const masses = new Float64Array(skeleton.joints.length);
  for (const { skin, part } of parts)
    if (part.role === 'skinned') jointMass(skin.rows, masses.length, masses);
  return masses;
}

/** The same within the selection. */
export function selectedMasses({ scene: { parts, selection }, document: { skeleton } }: At): Float64Array {
  const masses = new Float64Array(skeleton.joints.length);
  for (const [part, points] of selection.points()) {
    const { joints, values, stride } = parts[part].skin.rows;
    for (const p of points)
      for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++) masses[joints[k]] += values[k];
  }
  return masses;
}

/**
 * The points that an operation may take, by part: those asked for, or all, without hidden pieces; undefined for simply
 * all.
 */
export function openPoints(
  { scene: { parts } }: At,
  asked?: ReadonlyMap<number, Uint32Array>,
): Map<number, Uint32Array> | undefined {
  if (!asked && parts.every(({ hidden }) => !hidden)) return undefined;
  return new Map(
    parts
      .filter(({ index }) => !asked || asked.has(index))
      .map(({ index, part, hidden }): [number, Uint32Array] => {
        const points = asked?.get(index) ?? Uint32Array.from({ length: part.pointCount }, (_, p) => p);
        return [index, hidden ? points.filter((p) => !hidden[p]) : points];
      }),
  );
}

/** Where brushes may paint: the selection if there is one, and what is not hidden; undefined for all of it. */
export function paintedWithin(
  { scene: { selection } }: At,
  { index, hidden }: ScenePart,
): PointMask | undefined {
  const masks: PointMask[] = [];
  if (selection.count > 0) masks.push(selection.masks[index]);
  if (hidden) masks.push(hidden.map((each) => (each ? 0 : 1)));
  if (masks.length === 0) return undefined;
  return masks[0].map((_, p) => (masks.every((mask) => mask[p]) ? 1 : 0));
}

/** Uint8Array, a joint: 1 where a binding may give weight; of all joints, or of these. */
export function deformingJoints(
  { document: { skeleton, nonDeforming } }: At,
  among?: readonly number[],
): Uint8Array {
  const allowed = among && new Set(among);
  return Uint8Array.from(skeleton.joints, ({ removed }, joint) =>
    !removed && !nonDeforming.has(joint) && (allowed?.has(joint) ?? true) ? 1 : 0,
  );
}

/** Whether bindings change a part: rigid ones and those without weights of their own are left alone. */
export function isBound({ scene: { parts }, document: { settings } }: At, part: number): boolean {
  return parts[part].part.role !== 'fixed' && !settings.rigidParts.has(part);
}

/** Where confined joints may weigh. A selection that is gone confines nothing. */
export function confinesOf({ scene: { parts }, document: { settings, saved } }: At): Confines {
  const areas = new Map<number, Map<number, PointMask>>();
  for (const [joint, id] of Object.entries(settings.confines)) {
    const selection = saved.selections.find((each) => each.id === id);
    if (!selection) continue;
    areas.set(
      Number(joint),
      new Map(
        [...selection.points].map(([part, points]) => [part, maskOf(points, parts[part].part.pointCount)]),
      ),
    );
  }
  return areas;
}

/** More influences than any row has room for. */
const NO_LIMIT = 255;

/** What every operation on weights keeps to: locks, confined joints, the largest number of influences. */
export function rulesOf(at: At, limit = NO_LIMIT): RewriteRules {
  return { locks: at.document.locks, limit, confines: confinesOf(at), batch: at.document.batch };
}

/** Where a part's points stand in bound space: Float32Array, 3·pointCount. */
export const restPositions = ({ document: { character } }: At, part: number): BoundPositions =>
  boundPositions(character.parts[part]);

// Exact operations on the selection, or on all points of the shown parts where nothing is selected.

/** What an exact operation acts on, by part. */
export function scopeOf(at: At): Map<number, Uint32Array> {
  if (at.scene.selection.count > 0) return at.scene.selection.points();
  const all = new Map(
    shownParts(at.scene.parts)
      .filter(({ part }) => part.role !== 'fixed')
      .map(({ index, part }): [number, Uint32Array] => [
        index,
        Uint32Array.from({ length: part.pointCount }, (_, p) => p),
      ]),
  );
  return openPoints(at, all) ?? all;
}
