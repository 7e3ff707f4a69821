import { readFileSync, statSync } from 'node:fs';
import { basename } from 'node:path';
import { CoreError } from '@judoka/core/errors';
import { liveJoints, type Skeleton } from '@judoka/core/skeleton';
import Papa from 'papaparse';

const MAX_TABLE_BYTES = 4 * 2 ** 20;

/**
 * Counterparts of joints as a table says: a line a joint, its name in the source and the name of the one that takes its
 * weight, or nothing. A first line of headings may stand above.
 *
 * @throws CoreError argument-invalid with the line that cannot be taken
 */
export function readJointTable(path: string, source: Skeleton, target: Skeleton): Map<number, number> {
  if (statSync(path).size > MAX_TABLE_BYTES) throw wrong(`“${basename(path)}” is larger than 4 MB`);
  const { data, errors } = Papa.parse<string[]>(readFileSync(path, 'utf8'), { skipEmptyLines: 'greedy' });
  const broken = errors.find(({ type }) => type === 'Quotes');
  if (broken) throw wrong(`line ${(broken.row ?? 0) + 1}: a quote is left open`);
  const given = new Map<number, number>();
  data.forEach((cells, i) => {
    const [from = '', to = ''] = cells.map((cell) => cell.trim());
    if (i === 0 && /^source$/i.test(from)) return;
    given.set(named(source, from, i), to === '' ? -1 : named(target, to, i));
  });
  return given;
}

function named(skeleton: Skeleton, name: string, line: number): number {
  const joint = liveJoints(skeleton).find((each) => skeleton.joints[each].name === name);
  if (joint === undefined) throw wrong(`line ${line + 1}: there is no joint “${name}”`);
  return joint;
}

const wrong = (why: string): CoreError => new CoreError('argument-invalid', `--joints: ${why}.`);
