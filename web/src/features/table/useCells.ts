import { useState, type ClipboardEvent, type KeyboardEvent } from 'react';
import type { Change } from '@judoka/core/weights';
import type { Editing } from '../../scene/Editing.ts';
import {
  cellChange,
  editsOf,
  pointsNotAsTyped,
  readPasted,
  type CellEdits,
  type TableRows,
} from './weightTable.ts';

export interface Cell {
  readonly x: number;
  readonly y: number;
}

/** Cells from one corner to the other, both included. */
export interface CellBox {
  readonly x0: number;
  readonly x1: number;
  readonly y0: number;
  readonly y1: number;
}

export interface Cells {
  readonly cursor: Cell;
  readonly box: CellBox;
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

const notTaken = (points: number): string =>
  `${points.toLocaleString('en')} ${points === 1 ? 'point does' : 'points do'} not have what was typed: nothing else there can take the rest, or there is no room for it.`;

/** Choosing, typing and pasting in a table of weights. @param columns joints, as shown */
export function useCells(
  at: Editing,
  rows: TableRows,
  sorted: Uint32Array,
  columns: readonly number[],
  limit: number,
): Cells {
  const [cursor, setCursor] = useState<Cell>({ x: 0, y: 0 });
  const [range, setRange] = useState<Cell>();
  const [typed, setTyped] = useState<string>();
  const [moved, setMoved] = useState<Change>([]);
  const box = boxOf(cursor, range);
  const tell = (error: unknown): void => at.document.notifyError(error);

  const perform = (edits: Promise<CellEdits>, label: string): void => {
    edits
      .then((cells) => cellChange(at, rows, cells, limit))
      .then((change) => {
        setMoved(change);
        return at.document.perform(label, { weights: change });
      })
      .then(() => edits)
      .then((cells) => {
        const left = pointsNotAsTyped(at, rows, cells);
        if (left > 0) at.document.notify(notTaken(left));
      })
      .catch(tell);
  };
  const choose = (cell: Cell, asRange: boolean): void => {
    if (asRange) {
      setRange(cell);
      return;
    }
    setCursor(cell);
    setRange(undefined);
    setTyped(undefined);
  };
  const take = (text: string): void => {
    setTyped(undefined);
    const value = Number(text.trim().replace(',', '.'));
    if (text.trim() === '' || !(value >= 0 && value <= 1)) {
      at.document.notify('A weight is a number from 0 to 1.');
      return;
    }
    const joints = columns.slice(box.x0, box.x1 + 1);
    const edits = editsOf(sorted.slice(box.y0, box.y1 + 1), joints, () => value);
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
    box,
    typed,
    moved,
    choose,
    chooseColumn(x) {
      choose({ x, y: 0 }, false);
      setRange({ x, y: rows.count - 1 });
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
        const from = event.shiftKey ? (range ?? cursor) : cursor;
        const to = {
          x: Math.max(0, Math.min(columns.length - 1, from.x + step.x)),
          y: Math.max(0, Math.min(rows.count - 1, from.y + step.y)),
        };
        choose(to, event.shiftKey);
      } else if (/^[\d.,]$/.test(event.key)) {
        // Else the field that opens takes the key once more.
        event.preventDefault();
        setTyped(event.key);
      } else if (event.key === 'Enter') setTyped('');
      else if (event.key === 'Delete') setTyped('0');
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

function boxOf(a: Cell, b: Cell = a): CellBox {
  return { x0: Math.min(a.x, b.x), x1: Math.max(a.x, b.x), y0: Math.min(a.y, b.y), y1: Math.max(a.y, b.y) };
}
