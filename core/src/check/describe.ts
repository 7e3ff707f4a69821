import type { Character } from '../io/character.ts';
import { countQuads, polygonCount } from '../mesh/part.ts';
import { findIslands, findNeighbours } from '../topology/topology.ts';
import { countUnweighted } from '../weights/rows.ts';

export interface PartDescription {
  name: string;
  points: number;
  vertices: number;
  polygons: number;
  quads: number;
  islands: number;
  /** Points without any weight; all of them where the part has no skin. */
  unweighted: number;
  /** As the file has it: the most influences of a vertex, the least and the greatest sum. */
  maxInfluences: number;
  sumMin: number;
  sumMax: number;
}

export interface CharacterDescription {
  parts: PartDescription[];
  joints: number;
  clips: number;
  materials: number;
}

/** The figures of a character as it came, a part at a time. */
export function describe(character: Character): CharacterDescription {
  return {
    parts: character.parts.map((part, index) => {
      const neighbours = findNeighbours(
        { offsets: part.polygonOffsets, points: part.polygonPoints },
        part.pointCount,
      );
      const { maxInfluences, sumMin, sumMax } = character.sourceWeights[index];
      return {
        name: part.name,
        points: part.pointCount,
        vertices: part.vertexCount,
        polygons: polygonCount(part),
        quads: countQuads(part),
        islands: findIslands(neighbours).count,
        unweighted: part.role === 'skinned' ? countUnweighted(character.rows[index]) : part.pointCount,
        maxInfluences,
        sumMin,
        sumMax,
      };
    }),
    joints: character.skeleton.joints.length,
    clips: character.clips.length,
    materials: character.materialCount,
  };
}

/** What is still wrong, worst first, one sentence each; empty for a healthy character. */
export function listTroubles(character: Character, limit = 4): string[] {
  const troubles: string[] = [];
  const sum = (pick: (index: number) => number): number =>
    character.parts.reduce((total, _, index) => total + pick(index), 0);
  const tell = (count: number, one: string, many: string): void => {
    if (count > 0) troubles.push(`${count.toLocaleString('en')} ${count === 1 ? one : many}`);
  };
  if (character.skeleton.joints.length === 0) troubles.push('no skeleton yet');
  else {
    const loose = sum((i) =>
      character.parts[i].role === 'skinned' ? countUnweighted(character.rows[i]) : 0,
    );
    tell(loose, 'point has no weight', 'points have no weight');
  }
  tell(
    sum((i) => character.sourceWeights[i].broken),
    'vertex had a weight that is no number',
    'vertices had weights that are no numbers',
  );
  tell(
    sum((i) => character.sourceWeights[i].scaled),
    'vertex did not sum to one and was scaled',
    'vertices did not sum to one and were scaled',
  );
  tell(
    sum((i) => character.sourceWeights[i].seams),
    'point disagreed across a seam',
    'points disagreed across a seam',
  );
  tell(
    sum((i) => countAbove(character, i, limit)),
    `point has more than ${limit} influences`,
    `points have more than ${limit} influences`,
  );
  return troubles;
}

function countAbove(character: Character, index: number, limit: number): number {
  const { pointCount, stride, values } = character.rows[index];
  let count = 0;
  for (let p = 0; p < pointCount; p++) if (limit < stride && values[p * stride + limit] > 0) count++;
  return count;
}
