import { CoreError } from '../errors.ts';

/** A line of a character's log. The log only grows: undoing is a line of its own. */
export interface HistoryEntry {
  readonly id: string;
  readonly kind: 'edit' | 'undo' | 'redo';
  /** What the person did, in words: “Add, neck 3”. */
  readonly label: string;
  /** For undo and redo: the edit that is taken back or done again. */
  readonly target?: string;
}

export interface EditRef {
  readonly id: string;
  readonly label: string;
}

/** What can be undone and redone after a log: the last of each list comes first. */
export interface History {
  readonly done: readonly EditRef[];
  readonly undone: readonly EditRef[];
}

export const EMPTY_HISTORY: History = { done: [], undone: [] };

/**
 * The history after one more line. An edit clears what could be redone.
 * @throws CoreError argument-invalid if an undo or redo does not name the edit whose turn it is
 */
export function record(history: History, entry: HistoryEntry): History {
  const { done, undone } = history;
  switch (entry.kind) {
    case 'edit':
      return { done: [...done, { id: entry.id, label: entry.label }], undone: [] };
    case 'undo':
      return { done: done.slice(0, -1), undone: [...undone, expectLast(done, entry)] };
    case 'redo':
      return { done: [...done, expectLast(undone, entry)], undone: undone.slice(0, -1) };
    default:
      throw new CoreError('argument-invalid', `No such kind of change: ${String(entry.kind)}.`);
  }
}

function expectLast(list: readonly EditRef[], entry: HistoryEntry): EditRef {
  const last = list[list.length - 1];
  if (last && last.id === entry.target) return last;
  throw new CoreError(
    'argument-invalid',
    `It is not the turn of this change to be ${entry.kind === 'undo' ? 'undone' : 'redone'}.`,
    {
      target: entry.target ?? '',
    },
  );
}
