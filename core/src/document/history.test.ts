import { expect, test } from '@jest/globals';
import { EMPTY_HISTORY, record, type HistoryEntry } from './history.ts';

const edit = (id: string): HistoryEntry => ({ id, kind: 'edit', label: id });
const undo = (target: string): HistoryEntry => ({
  id: `undo ${target}`,
  kind: 'undo',
  label: target,
  target,
});
const redo = (target: string): HistoryEntry => ({
  id: `redo ${target}`,
  kind: 'redo',
  label: target,
  target,
});
const after = (...entries: HistoryEntry[]) => entries.reduce(record, EMPTY_HISTORY);
const ids = (list: readonly { id: string }[]): string[] => list.map(({ id }) => id);

test('undoing and redoing walk the same way back and forth', () => {
  const state = after(edit('a'), edit('b'), undo('b'), undo('a'), redo('a'));
  expect(ids(state.done)).toEqual(['a']);
  expect(ids(state.undone)).toEqual(['b']);
});

test('an edit clears what could be redone', () => {
  const state = after(edit('a'), undo('a'), edit('b'));
  expect(ids(state.done)).toEqual(['b']);
  expect(state.undone).toEqual([]);
});

test('out of turn is refused', () => {
  expect(() => after(edit('a'), edit('b'), undo('a'))).toThrow(/not the turn/);
  expect(() => after(edit('a'), redo('a'))).toThrow(/not the turn/);
});
