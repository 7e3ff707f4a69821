import { type AddedPoints, between } from '../mesh/addedPoints.ts';
import { type MeshChange, standsElsewhere, withMeshChange } from '../mesh/meshChange.ts';
import type { Morph, MorphTarget } from '../mesh/morphs.ts';
import { mixRows, type RowMix } from '../weights/mixRows.ts';
import { createRows, type WeightRows } from '../weights/rows.ts';
import type { Character, CharacterPart, SourceWeights } from './character.ts';
import type { DocumentSettings } from './settings.ts';
import { withPointCount } from './pointCounts.ts';

/**
 * A character whose meshes differ from its file's. Added points have, of everything that the file says, what lies between their
 * parents: places, normals, weights, shapes.
 */
export function withMeshes(character: Character, meshes: DocumentSettings['meshes']): Character {
  if (character.drawing || Object.keys(meshes).length === 0) return character;
  const parts = character.parts.map((part, i) => {
    const change = meshes[i];
    return change ? withMeshChange(part, change) : part;
  });
  return {
    ...character,
    parts,
    rows: character.rows.map((rows, i) => withAddedRows(rows, parts[i])),
    sourceWeights: character.sourceWeights.map((source, i) => {
      const more = parts[i].vertexCount - character.parts[i].vertexCount;
      return parts[i] === character.parts[i] ? source : withMoreVertices(source, more);
    }),
    morphs: character.morphs.map((morph) => withMorphedVertices(morph, character.parts, parts, meshes)),
  };
}

/** Rows of a part with those of points that it has beside them: between their parents'. */
export function withAddedRows(
  rows: WeightRows,
  { added, pointCount }: Pick<CharacterPart, 'added' | 'pointCount'>,
): WeightRows {
  if (!added || rows.pointCount >= pointCount) return withPointCount(rows, pointCount);
  const out = createRows(pointCount, rows.stride);
  out.joints.set(rows.joints);
  out.values.set(rows.values);
  for (let p = rows.pointCount; p < pointCount; p++) mixRows(out, p, out, mixOf(added, p, rows.stride));
  return out;
}

/** Of what rows that of an added point is a mix. */
function mixOf({ from, parents, shares }: AddedPoints, point: number, limit: number): RowMix {
  const i = point - from;
  return { of: [parents[i * 2], parents[i * 2 + 1]], shares: [1 - shares[i], shares[i]], limit };
}

/** Amounts of points, with those of points that were added since they were kept between their parents'. */
export const withAddedAmounts = (
  amounts: Float32Array,
  { added, pointCount }: Pick<CharacterPart, 'added' | 'pointCount'>,
): Float32Array => (added ? between(amounts, added, pointCount, 1) : amounts);

function withMoreVertices(source: SourceWeights, more: number): SourceWeights {
  const longer = <T extends Float32Array | Uint8Array>(held: T, fill: number): T => {
    if (held.length === 0) return held;
    const out = new (held.constructor as new (length: number) => T)(held.length + more).fill(fill) as T;
    out.set(held);
    return out;
  };
  return {
    ...source,
    sums: longer(source.sums, 1),
    brokenVertices: longer(source.brokenVertices, 0),
    asCame: longer(source.asCame, 0),
  };
}

function withMorphedVertices(
  morph: Morph,
  came: Character['parts'],
  parts: Character['parts'],
  meshes: DocumentSettings['meshes'],
): Morph {
  return {
    ...morph,
    targets: morph.targets.map((target) => {
      const change = meshes[target.part];
      if (!change) return target;
      const [before, now] = [came[target.part], parts[target.part]];
      const whole = withAddedVertices(target, before.vertexCount, change);
      return stillThere(whole, (v) => !standsElsewhere(before, change, now, v));
    }),
  };
}

/** A target without vertices of points that were taken out: they stand on others now, whose moves are not theirs. */
function stillThere(target: MorphTarget, isThere: (vertex: number) => boolean): MorphTarget {
  const { vertices, positions, normals, tangents } = target;
  const kept = [...vertices.keys()].filter((i) => isThere(vertices[i]));
  if (kept.length === vertices.length) return target;
  const only = (held: Float32Array): Float32Array =>
    Float32Array.from(kept.flatMap((i) => [...held.subarray(i * 3, i * 3 + 3)]));
  return {
    ...target,
    vertices: Uint32Array.from(kept, (i) => vertices[i]),
    positions: only(positions),
    ...(normals && { normals: only(normals) }),
    ...(tangents && { tangents: only(tangents) }),
  };
}

/** A new vertex is moved by what lies between its parents' moves; one that stays is a parent all the same. */
function withAddedVertices(target: MorphTarget, count: number, { vertices }: MeshChange): MorphTarget {
  const at = new Map<number, number>();
  target.vertices.forEach((v, i) => at.set(v, i));
  const made: { readonly vertex: number; readonly a: number; readonly b: number; readonly share: number }[] =
    [];
  vertices.forEach(([a, b, share], i) => {
    const [one, other] = [at.get(a) ?? -1, at.get(b) ?? -1];
    if (one < 0 && other < 0) return;
    at.set(count + i, target.vertices.length + made.length);
    made.push({ vertex: count + i, a: one, b: other, share });
  });
  if (made.length === 0) return target;
  const longer = (held: Float32Array): Float32Array => {
    const out = new Float32Array(held.length + made.length * 3);
    out.set(held);
    made.forEach(({ a, b, share }, i) => {
      for (let k = 0; k < 3; k++)
        out[held.length + i * 3 + k] =
          (a < 0 ? 0 : (1 - share) * out[a * 3 + k]) + (b < 0 ? 0 : share * out[b * 3 + k]);
    });
    return out;
  };
  const { positions, normals, tangents } = target;
  return {
    ...target,
    vertices: Uint32Array.from([...target.vertices, ...made.map(({ vertex }) => vertex)]),
    positions: longer(positions),
    ...(normals && { normals: longer(normals) }),
    ...(tangents && { tangents: longer(tangents) }),
  };
}
