import {
  type Candidates,
  type Change,
  type Delta,
  influenceCount,
  joinDeltas,
  rewritePoints,
  weightOf,
  type WeightRows,
} from '@judoka/core/weights';
import { radixSort, radixSteps } from './radixSort.ts';
import { type CellEdits, TableRows } from './tableRows.ts';
import { rulesOf } from '../../scene/scope.ts';
import { nextTurn } from '../../document/turns.ts';
import { MASK_COLUMN, type TableAt as At } from './maskColumn.ts';

/** The joints that have weight on the rows: the chosen one first, then the heaviest; before them the mask that is painted. */
export function columnsOf(
  { scene: { parts, joint: chosen }, document: { bound }, masks }: At,
  rows: TableRows,
): number[] {
  const mass = new Float64Array(bound.jointCapacity);
  for (let i = 0; i < rows.count; i++) {
    const { joints, values, stride } = parts[rows.parts[i]].skin.rows;
    for (let k = rows.points[i] * stride, end = k + stride; k < end && values[k] !== 0; k++)
      mass[joints[k]] += values[k];
  }
  const joints = [...mass.keys()]
    .filter((joint) => mass[joint] > 0)
    .sort((a, b) => Number(b === chosen) - Number(a === chosen) || mass[b] - mass[a]);
  return masks?.current ? [MASK_COLUMN, ...joints] : joints;
}

export type TableOrder =
  { readonly by: 'point' } | { readonly by: 'count' } | { readonly by: 'joint'; readonly joint: number };

/** What stands in a cell: a point's weight of a joint, or how much of it the mask takes. */
export function cellOf({ scene: { parts }, masks }: At, part: number, point: number, column: number): number {
  return column === MASK_COLUMN
    ? (masks?.amounts.at(part)?.[point] ?? 0)
    : weightOf(parts[part].skin.rows, point, column);
}

/** The order in which rows are shown: Uint32Array of row numbers, heaviest first where weights decide. */
export function sortRows(at: At, rows: TableRows, order: TableOrder): Uint32Array {
  const steps = sortSteps(at, rows, order);
  for (;;) {
    const { done, value } = steps.next();
    if (done) return value;
  }
}

/** The same with turns for the page; undefined if `stop` says so before the end. */
export async function sortRowsInTurns(
  at: At,
  rows: TableRows,
  order: TableOrder,
  stop: () => boolean,
): Promise<Uint32Array | undefined> {
  return inTurns(sortSteps(at, rows, order), rows.count, stop);
}

/** Does steps, with turns for the page in between where there are many rows. */
async function inTurns(steps: Generator<undefined, Uint32Array>, rowCount: number): Promise<Uint32Array>;
async function inTurns(
  steps: Generator<undefined, Uint32Array>,
  rowCount: number,
  stop: () => boolean,
): Promise<Uint32Array | undefined>;
async function inTurns(
  steps: Generator<undefined, Uint32Array>,
  rowCount: number,
  stop = (): boolean => false,
): Promise<Uint32Array | undefined> {
  while (!stop()) {
    const { done, value } = steps.next();
    if (done) return value;
    if (rowCount > KEYS_A_TURN) await nextTurn();
  }
  return undefined;
}

function* sortSteps(at: At, rows: TableRows, order: TableOrder): Generator<undefined, Uint32Array> {
  const keys = new Uint32Array(rows.count);
  if (order.by === 'point') return radixSort(keys, 0);
  // The bits of positive floats rise as they do.
  const weight = new Float32Array(1);
  const bits = new Uint32Array(weight.buffer);
  for (let i = 0; i < rows.count; i++) {
    if (order.by === 'joint') {
      weight[0] = cellOf(at, rows.parts[i], rows.points[i], order.joint);
      keys[i] = ONE_BITS - Math.min(ONE_BITS, bits[0]);
    } else {
      const held = at.scene.parts[rows.parts[i]].skin.rows;
      keys[i] = MAX_INFLUENCES - Math.min(MAX_INFLUENCES, influenceCount(held, rows.points[i]));
    }
    if ((i + 1) % KEYS_A_TURN === 0) yield;
  }
  yield;
  return yield* radixSteps(keys, order.by === 'joint' ? 30 : 11);
}

/** Rows whose keys are read before the page gets its turn. */
const KEYS_A_TURN = 65_536;
/** A weight of one, as bits: thirty of them. */
const ONE_BITS = 0x3f800000;
const MAX_INFLUENCES = 2047;

/** Numbers as a spreadsheet copies them: lines, and tabs or semicolons within them. */
export type PastedCells = readonly (readonly (number | undefined)[])[];

/**
 * Reads pasted text. Empty cells stay as they are.
 * @throws Error with a sentence where a cell is no weight
 */
export function readPasted(text: string, mostColumns: number): PastedCells {
  const lines = text.replace(/\r/g, '').replace(/\n+$/, '').split('\n');
  return lines.map((line, y) => {
    const cells = line.split(/[\t;]/);
    if (cells.length > mostColumns)
      throw new Error(
        `Line ${y + 1} has ${cells.length} columns; from here there are ${mostColumns}. Nothing was pasted.`,
      );
    return cells.map((cell, x) => {
      const trimmed = cell.trim().replace(',', '.');
      if (trimmed === '') return undefined;
      const value = trimmed.endsWith('%') ? Number(trimmed.slice(0, -1)) / 100 : Number(trimmed);
      if (!Number.isFinite(value))
        throw new Error(
          `“${cell.trim().slice(0, 30)}” in line ${y + 1}, column ${x + 1} is no number. Nothing was pasted.`,
        );
      if (value < 0 || value > 1)
        throw new Error(
          `${trimmed} in line ${y + 1}, column ${x + 1} is no weight from 0 to 1. Nothing was pasted.`,
        );
      return value;
    });
  });
}

/** Rows done before the page gets its turn. */
const SLICE = 8192;

/**
 * Cells of rows in any order, as edits: brought into the order of their numbers, of which there are at most 2^22. The page
 * gets its turn in between.
 */
export async function editsOf(
  rows: Uint32Array,
  joints: readonly number[],
  valueOf: (line: number, column: number) => number,
): Promise<CellEdits> {
  const order = await inTurns(radixSteps(rows, 22), rows.length);
  const numbers = new Uint32Array(rows.length);
  const values = new Float32Array(rows.length * joints.length);
  let at = 0;
  for (let i = 0; i < rows.length; i++) {
    numbers[i] = rows[order[i]];
    for (let x = 0; x < joints.length; x++) values[at++] = valueOf(order[i], x);
  }
  return { rows: numbers, joints, values };
}

/**
 * The change that gives cells their values: those are kept as typed, as far as they leave room for one another, and the
 * point's other unlocked influences share the rest in proportion. The page gets its turn in between.
 */
export async function cellChange(at: At, rows: TableRows, edits: CellEdits, limit: number): Promise<Change> {
  const rules = rulesOf(at, Math.max(limit, 8));
  const found = new Map<number, Delta[]>();
  for (const [part, from, to] of TableRows.runs(rows.parts, edits.rows, SLICE)) {
    const held = at.scene.parts[part].skin.rows;
    await nextTurn();
    const points = edits.rows.slice(from, to).map((row) => rows.points[row]);
    let line = from;
    const { delta } = rewritePoints(part, held, points, rules, (p, c) =>
      fillCells(c, held, p, edits, line++, at.document.locks),
    );
    if (delta.points.length > 0) found.set(part, [...(found.get(part) ?? []), delta]);
  }
  await nextTurn();
  const change = [...found.keys()]
    .sort((a, b) => a - b)
    .map((part) => joinDeltas(found.get(part) as Delta[]));
  await nextTurn();
  return change;
}

/** Less than this off, a weight is what was typed. */
const AS_TYPED = 1e-4;

/** How many points do not have the weights that were typed: the sum stays one, and locked joints keep theirs. */
export function pointsNotAsTyped(
  { scene: { parts } }: At,
  rows: TableRows,
  { rows: lines, joints, values }: CellEdits,
): number {
  let count = 0;
  for (let line = 0; line < lines.length; line++) {
    const held = parts[rows.parts[lines[line]]].skin.rows;
    const point = rows.points[lines[line]];
    const isOff = joints.some((joint, x) => {
      const wanted = values[line * joints.length + x];
      return Math.abs(weightOf(held, point, joint) - wanted) > AS_TYPED;
    });
    if (isOff) count++;
  }
  return count;
}

/** Behind the locked candidates: the typed ones, scaled where they ask for more than there is, and the others' share. */
function fillCells(
  c: Candidates,
  { joints, values, stride }: WeightRows,
  point: number,
  { joints: typed, values: cells }: CellEdits,
  line: number,
  locks: Uint8Array,
): void {
  const first = line * typed.length;
  const isTyped = (joint: number): boolean => {
    const at = typed.indexOf(joint);
    return at >= 0 && !Number.isNaN(cells[first + at]);
  };
  let room = 1;
  for (let i = 0; i < c.count; i++) room -= c.values[i];
  let wanted = 0;
  for (let x = 0; x < typed.length; x++)
    if (cells[first + x] > 0 && !locks[typed[x]]) wanted += cells[first + x];
  const fit = wanted > room ? room / wanted : 1;
  for (let x = 0; x < typed.length; x++) {
    if (!(cells[first + x] > 0)) continue;
    c.joints[c.count] = typed[x];
    c.values[c.count++] = cells[first + x] * fit;
  }
  const [from, end] = [point * stride, (point + 1) * stride];
  let others = 0;
  for (let k = from; k < end && values[k] !== 0; k++)
    if (!locks[joints[k]] && !isTyped(joints[k])) others += values[k];
  if (others <= 0) return;
  const share = Math.max(0, room - wanted * fit) / others;
  for (let k = from; k < end && values[k] !== 0; k++) {
    if (locks[joints[k]] || isTyped(joints[k])) continue;
    c.joints[c.count] = joints[k];
    c.values[c.count++] = values[k] * share;
  }
}

/** Whether a change moved one point's weight of a joint; points of deltas rise. */
export function isMoved(change: Change, part: number, point: number, joint: number): boolean {
  const delta = change.find((one) => one.part === part);
  if (!delta || joint === MASK_COLUMN) return false;
  let [low, high] = [0, delta.points.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (delta.points[middle] < point) low = middle + 1;
    else high = middle;
  }
  return (
    delta.points[low] === point && weightOf(delta.before, low, joint) !== weightOf(delta.after, low, joint)
  );
}
