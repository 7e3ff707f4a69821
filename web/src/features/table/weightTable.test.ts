import { describe, expect, test } from '@jest/globals';
import { apply, createRows, rowSum, weightOf, type WeightRows } from '@judoka/core/weights';
import { Events } from '../../document/events.ts';
import { changeMaskCells, columnName, MASK_COLUMN, type TableAt, withoutMaskCells } from './maskColumn.ts';
import {
  cellChange,
  cellOf,
  columnsOf,
  editsOf,
  isMoved,
  pointsNotAsTyped,
  readPasted,
  sortRows,
  sortRowsInTurns,
} from './weightTable.ts';
import { TableRows } from './tableRows.ts';
import type { Editing } from '../../scene/Editing.ts';

function rowsOf(points: readonly Readonly<Record<number, number>>[]): WeightRows {
  const rows = createRows(points.length);
  points.forEach((row, p) =>
    Object.entries(row)
      .sort(([, a], [, b]) => b - a)
      .forEach(([joint, weight], k) => {
        rows.joints[p * 8 + k] = Number(joint);
        rows.values[p * 8 + k] = weight;
      }),
  );
  return rows;
}

function editingOn(rows: WeightRows, locks = new Uint8Array(8)): Editing {
  return {
    document: {
      bound: { jointCapacity: 8 },
      locks,
      settings: { confines: {} },
      saved: { selections: [] },
    },
    scene: { parts: [{ skin: { rows } }] },
  } as unknown as Editing;
}

const held = rowsOf([{ 0: 0.75, 1: 0.25 }, { 1: 0.5, 2: 0.25, 3: 0.25 }, { 2: 1 }]);
const table = new TableRows(new Map([[0, Uint32Array.of(0, 1, 2)]]));

describe('the table', () => {
  test('columns are the joints with weight, heaviest first; rows sort by a joint or by how many there are', () => {
    const at = editingOn(held);
    expect(columnsOf(at, table)).toEqual([2, 0, 1, 3]);
    expect([...sortRows(at, table, { by: 'joint', joint: 2 })]).toEqual([2, 1, 0]);
    expect([...sortRows(at, table, { by: 'count' })]).toEqual([1, 0, 2]);
    expect([...sortRows(at, table, { by: 'point' })]).toEqual([0, 1, 2]);
  });

  test('sorting in turns says the same, and nothing once it was stopped', async () => {
    const at = editingOn(held);
    const order = { by: 'joint', joint: 2 } as const;
    expect(await sortRowsInTurns(at, table, order, () => false)).toEqual(sortRows(at, table, order));
    let turns = 0;
    expect(await sortRowsInTurns(at, table, order, () => ++turns > 2)).toBeUndefined();
  });

  test('points that cannot have what was typed are counted', async () => {
    // Point 2 has nothing else that could take the rest.
    const edits = await editsOf(Uint32Array.of(0, 1, 2), [2], () => 0.5);
    const rows = rowsOf([{ 0: 0.75, 1: 0.25 }, { 1: 0.5, 2: 0.25, 3: 0.25 }, { 2: 1 }]);
    const at = editingOn(rows);
    expect(pointsNotAsTyped(at, table, edits)).toBe(3);
    apply([rows], await cellChange(at, table, edits, 4));
    expect(pointsNotAsTyped(at, table, edits)).toBe(1);
    // Cells that stay as they are are not counted.
    const open = await editsOf(Uint32Array.of(2), [2], () => NaN);
    expect(pointsNotAsTyped(at, table, open)).toBe(0);
  });

  test('a typed cell is what was typed; the others share the rest in proportion', async () => {
    const edits = await editsOf(Uint32Array.of(1), [1], () => 0.2);
    const [delta] = await cellChange(editingOn(held), table, edits, 4);
    expect([...delta.points]).toEqual([1]);
    expect(weightOf(delta.after, 0, 1)).toBeCloseTo(0.2, 6);
    expect(weightOf(delta.after, 0, 2)).toBeCloseTo(0.4, 6);
    expect(weightOf(delta.after, 0, 3)).toBeCloseTo(0.4, 6);
  });

  test('several cells of a row that ask for more than all are scaled; locked ones stay', async () => {
    const locks = Uint8Array.of(0, 1, 0, 0, 0, 0, 0, 0);
    const edits = await editsOf(Uint32Array.of(0), [0, 4], () => 1);
    const [delta] = await cellChange(editingOn(held, locks), table, edits, 4);
    expect(weightOf(delta.after, 0, 1)).toBe(0.25);
    expect(weightOf(delta.after, 0, 0)).toBeCloseTo(0.375, 6);
    expect(weightOf(delta.after, 0, 4)).toBeCloseTo(0.375, 6);
    expect(rowSum(delta.after, 0)).toBeCloseTo(1, 6);
  });
});

test('lines in any order come to their points; empty cells stay, and what moved is told', async () => {
  const edits = await editsOf(
    Uint32Array.of(2, 0),
    [2, 3],
    (line, column) => [NaN, 0.5, 0.1, NaN][line * 2 + column],
  );
  expect([...edits.rows]).toEqual([0, 2]);
  const change = await cellChange(editingOn(held), table, edits, 4);
  const [delta] = change;
  expect([...delta.points]).toEqual([0, 2]);
  expect(weightOf(delta.after, 0, 2)).toBeCloseTo(0.1, 6);
  expect(weightOf(delta.after, 0, 0)).toBeCloseTo(0.675, 6);
  expect(weightOf(delta.after, 1, 3)).toBeCloseTo(0.5, 6);
  expect(weightOf(delta.after, 1, 2)).toBeCloseTo(0.5, 6);
  expect([isMoved(change, 0, 0, 2), isMoved(change, 0, 1, 2), isMoved(change, 0, 2, 0)]).toEqual([
    true,
    false,
    false,
  ]);
});

test('more rows than are done at a time make one delta a part', async () => {
  const many = rowsOf(Array.from({ length: 20_000 }, () => ({ 0: 0.5, 1: 0.5 })));
  const all = new TableRows(new Map([[0, Uint32Array.from({ length: 20_000 }, (_, p) => p)]]));
  const lines = Uint32Array.from({ length: 20_000 }, (_, i) => 19_999 - i);
  const change = await cellChange(editingOn(many), all, await editsOf(lines, [1], () => 0.25), 4);
  expect(change.map(({ points }) => points.length)).toEqual([20_000]);
  expect(weightOf(change[0].after, 12_345, 0)).toBe(0.75);
});

describe('pasting', () => {
  test('lines and tabs, decimal commas, percents and empty cells', () => {
    expect(readPasted('0.5\t0,25\n\t25%\n', 4)).toEqual([
      [0.5, 0.25],
      [undefined, 0.25],
    ]);
  });

  test.each([
    ['0.5\tlots', 4, '“lots” in line 1, column 2 is no number'],
    ['1.5', 4, 'no weight from 0 to 1'],
    ['-0.1', 4, 'no weight from 0 to 1'],
    ['1\t0\t0', 2, 'Line 1 has 3 columns'],
    ['NaN', 1, 'is no number'],
  ])('“%s” is refused, and nothing is pasted', (text, columns, words) => {
    expect(() => readPasted(text, columns)).toThrow(words);
    expect(() => readPasted(text, columns)).toThrow('Nothing was pasted.');
  });

  test('of a mask that is painted there is a column before the joints: sorted, typed into, apart from weights', async () => {
    const amounts = [Float32Array.of(0.25, 1, 0)];
    const changes: string[] = [];
    const at: TableAt = {
      ...editingOn(held),
      masks: {
        ...{ events: new Events<'changed'>(), current: { name: 'Coat' }, amounts },
        change(label, amountOf) {
          changes.push(label);
          amounts[0].forEach((amount, p) => (amounts[0][p] = amountOf(0, p, amount)));
        },
      },
    };
    expect(columnsOf(at, table)).toEqual([MASK_COLUMN, 2, 0, 1, 3]);
    expect(columnName(at, MASK_COLUMN)).toBe('Coat');
    expect([...sortRows(at, table, { by: 'joint', joint: MASK_COLUMN })]).toEqual([1, 0, 2]);
    const edits = await editsOf(Uint32Array.of(2, 1), [MASK_COLUMN, 2], (line, x) =>
      x === 0 ? [0.5, NaN][line] : 0.125,
    );
    changeMaskCells(at, table, edits, 'Typed');
    expect(changes).toEqual(['Typed']);
    expect([0, 1, 2].map((p) => cellOf(at, 0, p, MASK_COLUMN))).toEqual([0.25, 1, 0.5]);
    const { joints, values } = withoutMaskCells(edits);
    expect([joints, [...values]]).toEqual([[2], [0.125, 0.125]]);
  });
});
