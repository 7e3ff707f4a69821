import { useEffect, useState } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { sortRows, sortRowsInTurns, type TableOrder, type TableRows } from '../session/weightTable.ts';

/** Tables with more rows are sorted in turns: until that is done they stay as they were. */
const MOST_AT_ONCE = 20_000;

/** Rows in the order that was asked for; sorted when it is asked for, not at every edit. */
export function useSortedRows(session: CharacterSession, rows: TableRows, order: TableOrder): Uint32Array {
  const [sorted, setSorted] = useState(() => sortRows(session, rows, { by: 'point' }));
  useEffect(() => {
    if (rows.count <= MOST_AT_ONCE) return setSorted(sortRows(session, rows, order));
    let stopped = false;
    void sortRowsInTurns(session, rows, order, () => stopped).then((found) => found && setSorted(found));
    return () => {
      stopped = true;
    };
  }, [session, rows, order]);
  return sorted;
}
