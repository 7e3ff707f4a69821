import {
  type CharacterDescription,
  describe,
  listArrivalFindings,
  listWeightTroubles,
  skinnedRows,
} from '@judoka/core/analysis/checkUp';
import { readCharacter } from '@judoka/core/formats';
import { decoders, openFile } from './files.ts';

/** @returns the exit code: 1 if something is wrong with the weights, else 0 */
export async function info(file: string, json: boolean): Promise<number> {
  const character = await readCharacter(openFile(file), decoders);
  const figures = describe(character);
  const troubles = [
    ...listWeightTroubles(skinnedRows(character, character.rows)),
    ...listArrivalFindings(character),
  ];
  process.stdout.write(
    json ? `${JSON.stringify(figures)}\n` : `${asText(figures, [...troubles, ...character.notes])}\n`,
  );
  return troubles.length > 0 ? 1 : 0;
}

function asText(
  { parts, joints, clips, materials }: CharacterDescription,
  troubles: readonly string[],
): string {
  const head = [
    'part',
    'points',
    'vertices',
    'polygons',
    'quads',
    'islands',
    'unweighted',
    'most influences',
    'sums',
  ];
  const rows = parts.map((part) => [
    part.name,
    ...[
      part.points,
      part.vertices,
      part.polygons,
      part.quads,
      part.islands,
      part.unweighted,
      part.maxInfluences,
    ].map(String),
    `${part.sumMin.toFixed(3)} to ${part.sumMax.toFixed(3)}`,
  ]);
  const widths = head.map((title, k) => Math.max(title.length, ...rows.map((row) => row[k].length)));
  const line = (cells: readonly string[]): string =>
    cells.map((cell, k) => (k === 0 ? cell.padEnd(widths[k]) : cell.padStart(widths[k]))).join('  ');
  return [
    line(head),
    ...rows.map(line),
    '',
    `${joints} joints, ${clips} clips, ${materials} materials`,
    ...troubles.map((trouble) => `! ${trouble}`),
  ].join('\n');
}
