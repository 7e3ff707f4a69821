import { useEffect, useState } from 'react';
import type { TableRows } from './tableRows.ts';
import { sortRows, sortRowsInTurns, type TableOrder } from './weightTable.ts';
import type { TableAt as At } from './maskColumn.ts';

/** Tables with more rows are sorted in turns: until that is done they stay as they were. */
const MAX_AT_ONCE = 20_000;

/** Rows in the order that was asked for; sorted when it is asked for, not at every edit. */
export function useSortedRows(at: At, rows: TableRows, order: TableOrder): Uint32Array {
  const [sorted, setSorted] = useState(() => sortRows(at, rows, { by: 'point' }));
  useEffect(() => {
    if (rows.count <= MAX_AT_ONCE) {
      setSorted(sortRows(at, rows, order));
      return;
    }
    let stopped = false;
    void sortRowsInTurns(at, rows, order, () => stopped).then((found) => found && setSorted(found));
    return () => {
      stopped = true;
    };
  }, [at, rows, order]);
  return sorted;
}
