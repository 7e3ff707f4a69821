import { type Confines, jointMass, type RewriteRules } from '@judoka/core/weights';
import { maskOf, type PointMask } from '@judoka/core/mesh';
import type { CharacterSession } from './CharacterSession.ts';

// What operations work on: which points, which joints, and where they stand at rest.

/** How much of the surface follows each joint, in points. */
export function jointMasses({ parts, skeleton }: CharacterSession): Float64Array {
  const masses = new Float64Array(skeleton.joints.length);
  for (const { skin, part } of parts)
    if (part.role === 'skinned') jointMass(skin.rows, masses.length, masses);
  return masses;
}

/** The same within the selection. */
export function selectedMasses({ parts, skeleton, selection }: CharacterSession): Float64Array {
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
  { parts }: CharacterSession,
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

/** Uint8Array, a joint: 1 where a binding may give weight; of all joints, or of these. */
export function deformingJoints(
  { skeleton, still }: CharacterSession,
  among?: readonly number[],
): Uint8Array {
  const allowed = among && new Set(among);
  return Uint8Array.from(skeleton.joints, ({ removed }, joint) =>
    !removed && !still.has(joint) && (allowed?.has(joint) ?? true) ? 1 : 0,
  );
}

/** Whether bindings change a part: rigid ones and those without weights of their own are left alone. */
export function isBound({ parts, settings }: CharacterSession, part: number): boolean {
  return parts[part].part.role === 'skinned' && settings.parts[part]?.role !== 'rigid';
}

/** Where confined joints may weigh. A selection that is gone confines nothing. */
export function confinesOf({ parts, settings, kept }: CharacterSession): Confines {
  const areas = new Map<number, Map<number, PointMask>>();
  for (const [joint, id] of Object.entries(settings.confines)) {
    const selection = kept.selections.find((each) => each.id === id);
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
export function rulesOf(session: CharacterSession, limit = NO_LIMIT): RewriteRules {
  return { locks: session.locks, limit, confines: confinesOf(session), batch: session.batch };
}

/** Where a part's points stand at rest, in the scene: where its binds put them. Float32Array, 3·pointCount. */
export function restPositions({ character }: CharacterSession, part: number): Float32Array {
  const { positions, inverseBinds } = character.parts[part];
  const place = inverseBinds.subarray(inverseBinds.length - 16);
  const placed = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    for (let k = 0; k < 3; k++)
      placed[i + k] =
        place[k] * positions[i] +
        place[4 + k] * positions[i + 1] +
        place[8 + k] * positions[i + 2] +
        place[12 + k];
  }
  return placed;
}
