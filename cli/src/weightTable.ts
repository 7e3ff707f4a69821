import { readFileSync } from 'node:fs';
import { extname } from 'node:path';
import { counted } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { readWeightTable, weightsCsv, weightsJson } from '@judoka/core/formats';
import { applyTable, TABLE_BY } from '@judoka/core/operations/table';
import { apply } from '@judoka/core/weights';
import { HeldCharacter } from './batch/HeldCharacter.ts';
import { writeFile, writeWhole } from './files.ts';
import { checkOutput } from './output.ts';

/** Writes the weights of a character as a table; or, with an output, gives it those of the table. */
export async function weightTable(
  input: string,
  table: string,
  output: string | undefined,
  options: { readonly by: string; readonly json?: boolean },
): Promise<void> {
  const by = TABLE_BY.find((one) => one === options.by);
  if (!by) throw new CoreError('argument-invalid', `--by is index or place, not “${options.by}”.`);
  const ending = extname(table).toLowerCase();
  if (ending !== '.csv' && ending !== '.json')
    throw new CoreError('argument-invalid', `“${table}” ends in neither .csv nor .json.`);
  if (output !== undefined) checkOutput(output);
  const held = await HeldCharacter.open(input);
  if (output === undefined) {
    writeWhole(table, (ending === '.csv' ? weightsCsv : weightsJson)(held.character, held.rows));
    return;
  }
  const locks = new Uint8Array(held.character.skeleton.joints.length);
  const read = readWeightTable(new Uint8Array(readFileSync(table)));
  const { change, report } = applyTable(held.now, read, { by, locks });
  apply(held.rows, change);
  await held.settle();
  writeFile(output, held.container);
  const words = [
    `${counted(report.found, 'point')} found`,
    ...(report.lost > 0 ? [`${report.lost} without a counterpart`] : []),
    ...(report.scaled > 0 ? [`${report.scaled} scaled to sum to one`] : []),
    ...(report.cut > 0 ? [`${report.cut} with more influences than fit`] : []),
  ];
  process.stdout.write(options.json ? `${JSON.stringify(report)}\n` : `${words.join(', ')}.\n`);
}
