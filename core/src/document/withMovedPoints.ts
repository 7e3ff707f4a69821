import { PartMorpher } from '../deform/morph/PartMorpher.ts';
import type { Character } from './character.ts';
import { readMoved } from './movedPoints.ts';
import type { DocumentSettings } from './settings.ts';

/**
 * A character whose points are moved at rest as a document says; normals go along as the faces about a point turn. Parts of which
 * none is moved stay the same objects.
 */
export function withMovedPoints(character: Character, moved: DocumentSettings['moved']): Character {
  if (Object.keys(moved).length === 0) return character;
  return {
    ...character,
    parts: character.parts.map((part, i) => {
      const moves = readMoved(moved[i] ?? {});
      if (moves.points.length === 0 || moves.points.some((p) => p >= part.pointCount)) return part;
      const [positions, normals] = [part.positions.slice(), part.normals.slice()];
      new PartMorpher(part).apply([{ moves, amount: 1 }], positions, normals);
      return { ...part, positions, normals };
    }),
  };
}
