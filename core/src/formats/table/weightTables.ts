import Papa from 'papaparse';
import { CoreError } from '../../errors.ts';
import type { Character } from '../../document/character.ts';
import { influencesOf, type WeightRows } from '../../weights/rows.ts';
import type { TablePoint, TableWeight, WeightTable } from '../../weights/WeightTable.ts';
import { decodeAnyText } from '../text.ts';

export const MAX_TABLE_BYTES = 128 * 1024 * 1024;
const MAX_COLUMNS = 64;
const MAX_WEIGHTS = 40_000_000;
const COLUMNS = ['part', 'point', 'x', 'y', 'z', 'joint', 'weight'] as const;

type Subject = Pick<Character, 'parts' | 'skeleton'>;

/** Parts whose weights a table holds. */
const weighted = ({ parts }: Subject): number[] =>
  [...parts.keys()].filter((part) => parts[part].role === 'skinned');

/**
 * Weights as text, a line an influence: part, number of the point, where it stands at rest in its part, joint, weight. Numbers
 * are read back to the bit. A point without weight has a line without joint.
 */
export function weightsCsv(subject: Subject, rows: readonly WeightRows[]): string {
  const { parts, skeleton } = subject;
  const lines: unknown[][] = [[...COLUMNS]];
  for (const part of weighted(subject)) {
    const { name, positions, pointCount } = parts[part];
    for (let point = 0; point < pointCount; point++) {
      const place = [0, 1, 2].map((k) => positions[point * 3 + k]);
      const own = influencesOf(rows[part], point);
      if (own.length === 0) lines.push([name, point, ...place, '', '']);
      for (const { joint, weight } of own)
        lines.push([name, point, ...place, skeleton.joints[joint].name, weight]);
    }
  }
  return `${Papa.unparse(lines, { newline: '\n' })}\n`;
}

/** The same as JSON: see docs/FORMATS.md. */
export function weightsJson(subject: Subject, rows: readonly WeightRows[]): string {
  const { parts, skeleton } = subject;
  const written = weighted(subject).map((part) => {
    const { name, positions, pointCount } = parts[part];
    return {
      name,
      points: Array.from({ length: pointCount }, (_, point) => ({
        place: [0, 1, 2].map((k) => positions[point * 3 + k]),
        weights: Object.fromEntries(
          influencesOf(rows[part], point).map(({ joint, weight }) => [skeleton.joints[joint].name, weight]),
        ),
      })),
    };
  });
  return `${JSON.stringify({ judokaWeights: 1, parts: written })}\n`;
}

/**
 * Reads a table of weights, of either kind.
 * @throws CoreError file-… with the line or the place
 */
export function readWeightTable(bytes: Uint8Array): WeightTable {
  if (bytes.length > MAX_TABLE_BYTES)
    throw new CoreError('file-too-large', 'The table of weights is larger than 128 MB.');
  const text = decodeAnyText(bytes).replace(/^\ufeff/, '');
  if (text.trim() === '') throw new CoreError('file-empty', 'The table of weights is empty.');
  return text.trimStart().startsWith('{') ? fromJson(text) : fromCsv(text);
}

const wrong = (where: string, why: string): CoreError =>
  new CoreError('file-invalid', `The table of weights cannot be read at ${where}: ${why}.`, { where });

function fromCsv(text: string): WeightTable {
  const end = text.indexOf('\n');
  const head = text.slice(0, end < 0 ? text.length : end);
  // A delimiter that is a comma leaves no comma for decimals.
  const delimiter = [';', '\t', ','].find((one) => head.includes(one)) ?? ',';
  const names = (Papa.parse<string[]>(head, { delimiter }).data.at(0) ?? []).map((name) =>
    name.trim().toLowerCase(),
  );
  if (names.length > MAX_COLUMNS)
    throw wrong('line 1', `it has ${names.length} columns, and ${COLUMNS.length} are known`);
  const at = (name: string): number => names.indexOf(name);
  const [part, point, joint, weight] = ['part', 'point', 'joint', 'weight'].map(at);
  if ([point, joint, weight].some((column) => column < 0))
    throw wrong(
      'line 1',
      `columns “point”, “joint” and “weight” are needed, and it names ${names.slice(0, 8).join(', ') || 'none'}`,
    );
  const places = ['x', 'y', 'z'].map(at);
  const gather = new TableBuilder();
  let line = 1;
  Papa.parse<string[]>(text, {
    delimiter,
    step: ({ data, errors }) => {
      const where = `line ${line++}`;
      if (errors.some(({ type }) => type === 'Quotes')) throw wrong(where, 'a quote is left open');
      if (line === 2 || (data.length === 1 && data[0].trim() === '')) return;
      const cell = (column: number): string => (column < 0 ? '' : (data.at(column) ?? '').trim());
      const number = (column: number): number => numberOf(cell(column), delimiter, where);
      const name = cell(joint);
      gather.add(cell(part), number(point), where, {
        place: places.every((column) => cell(column) !== '') ? triple(places.map(number)) : undefined,
        weight: name === '' ? undefined : { joint: name, weight: number(weight) },
      });
    },
  });
  return gather.finish();
}

function numberOf(cell: string, delimiter: string, where: string): number {
  const value = Number(delimiter === ',' ? cell : cell.replace(',', '.'));
  if (cell === '' || !Number.isFinite(value)) throw wrong(where, `“${cell.slice(0, 30)}” is no number`);
  return value;
}

const triple = ([x, y, z]: readonly number[]): [number, number, number] => [x, y, z];

class TableBuilder {
  readonly #parts = new Map<string, Map<number, TablePoint & { weights: TableWeight[] }>>();
  #count = 0;

  add(
    part: string,
    point: number,
    where: string,
    { place, weight }: { place?: [number, number, number]; weight?: TableWeight },
  ): void {
    if (!Number.isInteger(point) || point < 0) throw wrong(where, `“${point}” is no number of a point`);
    if (weight && !(weight.weight >= 0 && weight.weight <= 1.01))
      throw wrong(where, `weight ${weight.weight} is not between 0 and 1`);
    if (++this.#count > MAX_WEIGHTS)
      throw new CoreError('file-too-large', 'The table has more than 40,000,000 weights.');
    let points = this.#parts.get(part);
    if (!points) this.#parts.set(part, (points = new Map<number, TablePoint & { weights: TableWeight[] }>()));
    let own = points.get(point);
    if (!own) points.set(point, (own = { point, ...(place && { place }), weights: [], where }));
    if (weight) own.weights.push(weight);
  }

  finish(): WeightTable {
    return { parts: [...this.#parts].map(([name, points]) => ({ name, points: [...points.values()] })) };
  }
}

function fromJson(text: string): WeightTable {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw wrong('JSON', 'it is damaged');
  }
  const { judokaWeights, parts } = json as { judokaWeights?: unknown; parts?: unknown };
  if (judokaWeights !== 1 || !Array.isArray(parts))
    throw wrong('JSON', '“judokaWeights”: 1 and a list “parts” are needed');
  const gather = new TableBuilder();
  (parts as unknown[]).forEach((part, p) => {
    const { name, points } = Object(part) as { name?: unknown; points?: unknown };
    if (typeof name !== 'string' || !Array.isArray(points))
      throw wrong(`parts[${p}]`, 'a name and a list of points are needed');
    (points as unknown[]).forEach((point, i) => addPoint(gather, name, i, point, `parts[${p}].points[${i}]`));
  });
  return gather.finish();
}

function addPoint(gather: TableBuilder, part: string, index: number, point: unknown, where: string): void {
  const { place, weights } = Object(point) as { place?: unknown; weights?: unknown };
  if (typeof weights !== 'object' || weights === null) throw wrong(where, 'it has no weights');
  const isPlace = Array.isArray(place) && place.length === 3 && place.every((x) => typeof x === 'number');
  const at = isPlace ? triple(place) : undefined;
  const own = Object.entries(weights);
  if (own.length === 0) gather.add(part, index, where, { place: at });
  for (const [joint, weight] of own) {
    if (typeof weight !== 'number') throw wrong(where, `the weight of “${joint.slice(0, 40)}” is no number`);
    gather.add(part, index, where, { place: at, weight: { joint, weight } });
  }
}
