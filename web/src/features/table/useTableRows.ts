import { useEffect, useMemo, useRef, useState } from 'react';
import { scopeOf } from '../../scene/scope.ts';
import type { Editing } from '../../scene/Editing.ts';
import { TableRows } from './tableRows.ts';

export interface ListedRows {
  readonly rows: TableRows;
  /** Selects rows on the stage, by number; the table goes on listing what it does. */
  readonly select: (numbers: Uint32Array, mode: 'replace' | 'toggle') => void;
  /** Counts changes of the selection: lines say which of them are selected. */
  readonly version: number;
}

/**
 * The rows of the table: what is selected on the stage, or all that is shown. Selecting some of them in the table is
 * selecting on the stage too, and keeps the list.
 */
export function useTableRows(at: Editing): ListedRows {
  const [version, setVersion] = useState(0);
  const [listed, setListed] = useState(0);
  const isOwn = useRef(false);
  useEffect(() => {
    const listAnew = (): void => setListed((before) => before + 1);
    const ends = [
      at.scene.events.subscribe('selection', () => {
        setVersion((before) => before + 1);
        if (!isOwn.current) listAnew();
      }),
      at.scene.events.subscribe('parts', listAnew),
      at.document.events.subscribe('joints', listAnew),
    ];
    return () => {
      for (const end of ends) end();
    };
  }, [at]);
  const rows = useMemo(
    () => new TableRows(scopeOf(at)),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the version stands for what is read
    [at, listed],
  );
  const select: ListedRows['select'] = (numbers, mode) => {
    const { selection } = at.scene;
    isOwn.current = true;
    try {
      if (mode === 'replace') {
        selection.choosePoints(pointsOf(rows, numbers), 'replace');
        return;
      }
      const isHeld = (number: number): boolean =>
        selection.masks[rows.parts[number]][rows.points[number]] === 1;
      selection.choosePoints(pointsOf(rows, numbers), numbers.every(isHeld) ? 'take' : 'add');
    } finally {
      isOwn.current = false;
    }
  };
  return { rows, select, version };
}

/** Points of rows by part, rising. */
function pointsOf(rows: TableRows, numbers: Uint32Array): Map<number, Uint32Array> {
  const lists = new Map<number, number[]>();
  for (const number of numbers) {
    const { part, point } = rows.row(number);
    const list = lists.get(part);
    if (list) list.push(point);
    else lists.set(part, [point]);
  }
  return new Map([...lists].map(([part, list]) => [part, Uint32Array.from(list).sort()]));
}
