import { join } from 'node:path';
import type { Picture } from '@judoka/core/analysis/picture';
import { leftOutJoints } from '@judoka/core/analysis/checkUp';
import { counted, type Character, type DeliveryProfile } from '@judoka/core/document';
import { reportFigures, reportOf, reportPage } from '@judoka/core/formats/report';
import type { WeightRows } from '@judoka/core/weights';
import { PNG } from 'pngjs';
import { writeWhole } from './files.ts';

function dataUrl({ width, height, pixels }: Picture): string {
  const png = new PNG({ width, height });
  png.data = Buffer.from(pixels.buffer, pixels.byteOffset, pixels.byteLength);
  return `data:image/png;base64,${PNG.sync.write(png, { filterType: 0 }).toString('base64')}`;
}

export interface ReportOptions {
  readonly name: string;
  readonly profile: DeliveryProfile;
  /** Where it is written. */
  readonly out: string;
  readonly at: Date;
  /** The weights as they came, of the same points. */
  readonly before?: readonly WeightRows[];
}

/**
 * Writes a character's report: a page, and its figures as `.json`.
 * @returns the names of the files, and what there is to mend
 */
export async function writeReport(
  character: Character,
  { name, profile, out, at, before }: ReportOptions,
): Promise<{ files: string[]; words: string; isWrong: boolean }> {
  const settings = { nonDeforming: leftOutJoints(character), ranges: {}, skinning: 'linear' } as const;
  const made = await reportOf(character, { ...settings, profile, before });
  const files = [`${name}.html`, `${name}.json`];
  writeWhole(join(out, files[0]), reportPage(character, made, { name, at, encode: dataUrl }));
  writeWhole(
    join(out, files[1]),
    `${JSON.stringify(reportFigures(character, made, { name, at }), null, 1)}\n`,
  );
  const faults = made.findings.filter(({ severity }) => severity === 'error').length;
  const words = `${counted(faults, 'fault')}, ${counted(made.strays.length, 'stray')}`;
  return { files, words, isWrong: faults + made.strays.length > 0 };
}
