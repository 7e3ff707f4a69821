import { useMemo, useState, type ClipboardEvent, type KeyboardEvent } from 'react';
import type { Change } from '@judoka/core/weights';
import { changeMaskCells, MASK_COLUMN, type TableAt, withoutMaskCells } from './maskColumn.ts';
import { cellChange, editsOf, pointsNotAsTyped, readPasted } from './weightTable.ts';
import type { CellEdits, TableRows } from './tableRows.ts';

export interface Cell {
  readonly x: number;
  readonly y: number;
}

/** Cells that are chosen together: some rows, by number, whatever the order, and columns side by side. */
interface Chosen {
  readonly x0: number;
  readonly x1: number;
  readonly rows: Uint32Array;
  /** Uint8Array, a row each: 1 for those. */
  readonly mask: Uint8Array;
  /** The corner that keys move, in the order that was. */
  readonly end: Cell;
  readonly order: Uint32Array;
}

export interface Cells {
  /** Where it stands now: it keeps to its row when rows are sorted. */
  readonly cursor: Cell;
  /** Its row, by number. */
  readonly row: number;
  /** First and last column that are chosen in a line; nothing if none is. */
  readonly inside: (y: number) => readonly [number, number] | undefined;
  /** The rows that are chosen, by number. */
  readonly rows: Uint32Array;
  /** What is being typed, not taken yet. */
  readonly typed: string | undefined;
  /** What the last edit made here has moved. */
  readonly moved: Change;
  readonly choose: (cell: Cell, asRange: boolean) => void;
  readonly chooseColumn: (x: number) => void;
  readonly setTyped: (typed: string | undefined) => void;
  readonly onKeyDown: (event: KeyboardEvent) => void;
  readonly onPaste: (event: ClipboardEvent) => void;
}

const PAGE_ROWS = 20;
/** What weights are typed with. */
const WEIGHT_KEY = /^[\d.,]$/;

const notTaken = (points: number): string =>
  `${points.toLocaleString('en')} ${points === 1 ? 'point does' : 'points do'} not have what was typed: nothing else there can take the rest, or there is no room for it.`;

/** Choosing, typing and pasting in a table of weights. @param columns joints, as shown, and the mask that is painted */
export function useCells(
  at: TableAt,
  rows: TableRows,
  sorted: Uint32Array,
  columns: readonly number[],
  limit: number,
): Cells {
  const [{ x, row }, setCursor] = useState({ x: 0, row: sorted.at(0) ?? 0 });
  const [chosen, setChosen] = useState<Chosen>();
  const [typed, setTyped] = useState<string>();
  const [moved, setMoved] = useState<Change>([]);
  const y = useMemo(() => Math.max(0, sorted.indexOf(row)), [sorted, row]);
  const cursor = { x: Math.min(x, Math.max(0, columns.length - 1)), y };
  const held = chosen ?? { x0: cursor.x, x1: cursor.x, rows: Uint32Array.of(row) };
  const tell = (error: unknown): void => at.document.notifyError(error);

  const performWeights = async (cells: CellEdits, label: string): Promise<void> => {
    const change = await cellChange(at, rows, cells, limit);
    setMoved(change);
    await at.document.perform(label, { weights: change });
    const left = pointsNotAsTyped(at, rows, cells);
    if (left > 0) at.document.notify(notTaken(left));
  };
  const perform = (edits: Promise<CellEdits>, label: string): void => {
    edits
      .then(async (cells) => {
        if (!cells.joints.includes(MASK_COLUMN)) return performWeights(cells, label);
        changeMaskCells(at, rows, cells, label);
        if (cells.joints.length > 1) await performWeights(withoutMaskCells(cells), label);
      })
      .catch(tell);
  };
  /** Chooses from the cursor to a corner. */
  const chooseTo = (from: Cell, end: Cell): void => {
    const numbers = sorted.slice(Math.min(from.y, end.y), Math.max(from.y, end.y) + 1);
    const mask = new Uint8Array(rows.count);
    for (const number of numbers) mask[number] = 1;
    const [x0, x1] = [Math.min(from.x, end.x), Math.max(from.x, end.x)];
    setChosen({ x0, x1, rows: numbers, mask, end, order: sorted });
  };
  const choose = (cell: Cell, asRange: boolean): void => {
    if (asRange) {
      chooseTo(cursor, cell);
      return;
    }
    setCursor({ x: cell.x, row: sorted[cell.y] });
    setChosen(undefined);
    setTyped(undefined);
  };
  const take = (text: string): void => {
    setTyped(undefined);
    const value = Number(text.trim().replace(',', '.'));
    if (text.trim() === '' || !(value >= 0 && value <= 1)) {
      at.document.notify('A weight is a number from 0 to 1.');
      return;
    }
    const joints = columns.slice(held.x0, held.x1 + 1);
    const edits = editsOf(held.rows, joints, () => value);
    perform(edits, `Type ${value} in the table`);
  };
  const paste = (text: string): void => {
    const lines = readPasted(text, columns.length - cursor.x);
    if (lines.length > rows.count - cursor.y)
      throw new Error(
        `${lines.length} lines do not fit: from here there are ${rows.count - cursor.y} points. Nothing was pasted.`,
      );
    const wide = lines.reduce((most, cells) => Math.max(most, cells.length), 0);
    const edits = editsOf(
      sorted.slice(cursor.y, cursor.y + lines.length),
      columns.slice(cursor.x, cursor.x + wide),
      (line, column) => lines[line][column] ?? NaN,
    );
    perform(edits, `Paste ${lines.length} lines in the table`);
  };
  return {
    cursor,
    row,
    inside(line) {
      if (!chosen) return line === y ? [cursor.x, cursor.x] : undefined;
      return chosen.mask[sorted[line]] ? [chosen.x0, chosen.x1] : undefined;
    },
    rows: held.rows,
    typed,
    moved,
    choose,
    chooseColumn(column) {
      choose({ x: column, y: 0 }, false);
      chooseTo({ x: column, y: 0 }, { x: column, y: rows.count - 1 });
    },
    setTyped,
    onKeyDown(event) {
      if (typed !== undefined) {
        if (event.key === 'Enter') take(typed);
        else if (event.key === 'Escape') setTyped(undefined);
        return;
      }
      const step = stepOf(event, rows.count, columns.length);
      if (step) {
        event.preventDefault();
        // Sorted since, a corner is nowhere in particular.
        const end = chosen?.order === sorted ? chosen.end : cursor;
        const from = event.shiftKey ? end : cursor;
        const to = {
          x: Math.max(0, Math.min(columns.length - 1, from.x + step.x)),
          y: Math.max(0, Math.min(rows.count - 1, from.y + step.y)),
        };
        choose(to, event.shiftKey);
      } else if (WEIGHT_KEY.test(event.key)) {
        // Else the field that opens takes the key once more.
        event.preventDefault();
        setTyped(event.key);
      } else if (event.key === 'Enter' || event.key === 'Delete') {
        event.preventDefault();
        setTyped(event.key === 'Enter' ? '' : '0');
      }
    },
    onPaste(event) {
      event.preventDefault();
      try {
        paste(event.clipboardData.getData('text'));
      } catch (error) {
        tell(error);
      }
    },
  };
}

/** Where a key leads from a cell; Ctrl goes to the end. */
function stepOf({ key, ctrlKey, metaKey }: KeyboardEvent, rows: number, columns: number): Cell | undefined {
  const far = ctrlKey || metaKey;
  switch (key) {
    case 'ArrowUp':
      return { x: 0, y: far ? -rows : -1 };
    case 'ArrowDown':
      return { x: 0, y: far ? rows : 1 };
    case 'ArrowLeft':
      return { x: far ? -columns : -1, y: 0 };
    case 'ArrowRight':
      return { x: far ? columns : 1, y: 0 };
    case 'PageUp':
      return { x: 0, y: -PAGE_ROWS };
    case 'PageDown':
      return { x: 0, y: PAGE_ROWS };
    case 'Home':
      return { x: 0, y: -rows };
    case 'End':
      return { x: 0, y: rows };
    default:
      return undefined;
  }
}
