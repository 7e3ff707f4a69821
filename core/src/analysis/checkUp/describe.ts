import { liveJoints } from '../../skeleton/skeleton.ts';
import type { Character } from '../../document/character.ts';
import { countQuads, polygonCount } from '../../mesh/part.ts';
import { findIslands, findNeighbours } from '../../mesh/topology.ts';
import { countUnweighted, type WeightRows } from '../../weights/rows.ts';
import { grouped } from '../../math/grouped.ts';

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
    joints: liveJoints(character.skeleton).length,
    clips: character.clips.length,
    materials: character.materialCount,
  };
}

const counted = (count: number, one: string, many: string): string[] =>
  count > 0 ? [`${grouped(count)} ${count === 1 ? one : many}`] : [];

const total = (numbers: readonly number[]): number => numbers.reduce((sum, n) => sum + n, 0);

/**
 * What is wrong with weights as they stand, worst first, one sentence each.
 * @param rowsOfPart the rows of the skinned parts only
 */
export function listWeightTroubles(rowsOfPart: readonly WeightRows[], limit = 4): string[] {
  return [
    ...counted(total(rowsOfPart.map(countUnweighted)), 'point has no weight', 'points have no weight'),
    ...counted(
      total(rowsOfPart.map((rows) => countAbove(rows, limit))),
      `point has more than ${limit} influences`,
      `points have more than ${limit} influences`,
    ),
  ];
}

/** What was wrong with the file's own weights and was put right when they were read. */
export function listArrivalFindings({ sourceWeights }: Pick<Character, 'sourceWeights'>): string[] {
  return [
    ...counted(
      total(sourceWeights.map(({ broken }) => broken)),
      'vertex had a weight that is no number; it counts as nothing',
      'vertices had weights that are no numbers; they count as nothing',
    ),
    ...counted(
      total(sourceWeights.map(({ scaled }) => scaled)),
      'vertex did not sum to one and was scaled',
      'vertices did not sum to one and were scaled',
    ),
    ...counted(
      total(sourceWeights.map(({ seams }) => seams.points.length)),
      'point disagrees across a seam',
      'points disagree across a seam',
    ),
  ];
}

/** The rows of the parts that have weights of their own. */
export function skinnedRows({ parts }: Pick<Character, 'parts'>, rows: readonly WeightRows[]): WeightRows[] {
  return rows.filter((_, index) => parts[index].role === 'skinned');
}

function countAbove({ pointCount, stride, values }: WeightRows, limit: number): number {
  let count = 0;
  for (let p = 0; p < pointCount; p++) if (limit < stride && values[p * stride + limit] > 0) count++;
  return count;
}
