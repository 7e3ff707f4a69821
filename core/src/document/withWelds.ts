import { cornersOf } from '../mesh/meshChange.ts';
import { normalizeAll } from '../mesh/normals.ts';
import { recoverQuads } from '../mesh/quads.ts';
import { weldNear } from '../mesh/weldNear.ts';
import type { Character, CharacterPart } from './character.ts';

/**
 * A character in which points of some parts that lie within a distance are one: the first of them stands for all, and
 * vertices, faces and polygons speak of it. Points keep their numbers, so that whatever was done to them before stays true;
 * those that another stands for have no face and no vertex any more.
 *
 * @param welds by part, the distance in part space
 */
export function withWelds(character: Character, welds: Readonly<Record<number, number>>): Character {
  if (Object.keys(welds).length === 0) return character;
  return {
    ...character,
    parts: character.parts.map((part, i) => (welds[i] > 0 ? welded(part, welds[i]) : part)),
  };
}

function welded(part: CharacterPart, distance: number): CharacterPart {
  const standsFor = weldNear(part, distance);
  const triangles: number[] = [];
  for (let t = 0; t < part.triangles.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => standsFor[part.triangles[t + k]]);
    // What has come together to a line is no face.
    if (a !== b && b !== c && c !== a) triangles.push(a, b, c);
  }
  const corners = Uint32Array.from(triangles);
  const { offsets, points } = recoverQuads(corners, part.positions);
  const normals = part.normals.slice();
  standsFor.forEach((point, p) => {
    if (point === p) return;
    for (let k = 0; k < 3; k++) normals[point * 3 + k] += part.normals[p * 3 + k];
  });
  normalizeAll(normals);
  return {
    ...part,
    normals,
    corners: cornersOf(part),
    ownPoints: part.vertexPoint,
    vertexPoint: part.vertexPoint.map((point) => standsFor[point]),
    triangles: corners,
    polygonOffsets: offsets,
    polygonPoints: points,
  };
}
