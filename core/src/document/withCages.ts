import { computeNormals } from '../mesh/normals.ts';
import { trianglesOfQuads } from '../mesh/quads.ts';
import { createRows, DEFAULT_STRIDE } from '../weights/rows.ts';
import { readCage, type SavedCage } from './cages.ts';
import type { Character, CharacterPart, SourceWeights } from './character.ts';
import { NO_SEAMS } from './seamWeights.ts';

/**
 * A character with the cages that were made for it, as parts behind its file's. A number that no cage has any more, before one that
 * is there, is a part without points.
 */
export function withCages(
  character: Character,
  cages: Readonly<Record<number, SavedCage | undefined>>,
): Character {
  const { parts } = character;
  const count = Math.max(parts.length, ...Object.keys(cages).map((part) => Number(part) + 1));
  if (character.drawing || count === parts.length) return character;
  const added = Array.from({ length: count - parts.length }, (_, i) =>
    cagePart(parts, cages[parts.length + i]),
  );
  return {
    ...character,
    parts: [...parts, ...added],
    rows: [...character.rows, ...added.map(({ pointCount }) => createRows(pointCount, DEFAULT_STRIDE))],
    sourceWeights: [...character.sourceWeights, ...added.map(noWeights)],
  };
}

function cagePart(parts: Character['parts'], cage: SavedCage | undefined): CharacterPart {
  const like = (parts[cage?.like ?? 0] as CharacterPart | undefined) ?? parts[0];
  const { positions, quads } = cage ? readCage(cage) : NOTHING;
  const triangles = trianglesOfQuads(quads);
  const pointCount = positions.length / 3;
  return {
    name: 'Cage',
    role: 'cage',
    source: like.source,
    inverseBinds: like.inverseBinds,
    pointCount,
    vertexCount: pointCount,
    positions,
    normals: computeNormals(positions, triangles),
    vertexPoint: Uint32Array.from({ length: pointCount }, (_, p) => p),
    polygonOffsets: Uint32Array.from({ length: quads.length / 4 + 1 }, (_, q) => q * 4),
    polygonPoints: quads,
    triangles,
  };
}

const NOTHING = { positions: new Float32Array(0), quads: new Uint32Array(0) };

/** What the file says of a part that it does not have. */
const noWeights = ({ vertexCount }: CharacterPart): SourceWeights => ({
  sumMin: 0,
  sumMax: 0,
  maxInfluences: 0,
  scaled: 0,
  broken: 0,
  sums: new Float32Array(0),
  brokenVertices: new Uint8Array(0),
  sumTolerance: 0,
  seams: NO_SEAMS,
  asCame: new Uint8Array(vertexCount),
});
