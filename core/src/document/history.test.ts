import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  editsOf,
  EMPTY_HISTORY,
  record,
  relabelTop,
  unrecord,
  type History,
  type LogLine,
} from './history.ts';

const edit = (id: string): LogLine => ({ id, kind: 'edit', label: id });
const undo = (target: string): LogLine => ({ id: `undo ${target}`, kind: 'undo', label: target, target });
const redo = (target: string): LogLine => ({ id: `redo ${target}`, kind: 'redo', label: target, target });
const after = (...lines: LogLine[]): History => lines.reduce(record, EMPTY_HISTORY);
const done = (history: History): string[] => [...editsOf(history.done)].map(({ id }) => id);
const undone = (history: History): string[] => [...editsOf(history.undone)].map(({ id }) => id);

test('undoing and redoing walk the same way back and forth', () => {
  const history = after(edit('a'), edit('b'), undo('b'), undo('a'), redo('a'));
  expect(done(history)).toEqual(['a']);
  expect(undone(history)).toEqual(['b']);
});

test('an edit clears what could be redone', () => {
  const history = after(edit('a'), undo('a'), edit('b'));
  expect(done(history)).toEqual(['b']);
  expect(undone(history)).toEqual([]);
});

test('out of turn is refused', () => {
  expect(() => after(edit('a'), edit('b'), undo('a'))).toThrow(/not the turn/);
  expect(() => after(edit('a'), redo('a'))).toThrow(/not the turn/);
});

test('a line more costs the same however long the log is: what is below is shared', () => {
  const before = after(edit('a'), edit('b'));
  expect(record(before, edit('c')).done?.below).toBe(before.done);
});

test('an edit that went on is called otherwise, once it is on top', () => {
  expect(relabelTop(after(edit('a'), edit('b')), 'b', 'b, twice').done?.top.label).toBe('b, twice');
  expect(relabelTop(after(edit('a'), edit('b')), 'a', 'other').done?.below?.top.label).toBe('a');
});

test('taking lines out of the history again leads back to where it was', () => {
  fc.assert(
    fc.property(fc.array(fc.constantFrom('edit', 'undo', 'redo')), (kinds) => {
      let history = EMPTY_HISTORY;
      const past: { line: LogLine; before: History }[] = [];
      kinds.forEach((kind, i) => {
        const top = kind === 'undo' ? history.done : history.undone;
        if (kind !== 'edit' && !top) return;
        const line =
          kind === 'edit'
            ? edit(`e${i}`)
            : kind === 'undo'
              ? undo(top?.top.id ?? '')
              : redo(top?.top.id ?? '');
        past.push({ line, before: history });
        history = record(history, line);
      });
      for (const { line, before } of past.reverse()) {
        history = unrecord(history, line, before.undone);
        expect([done(history), undone(history)]).toEqual([done(before), undone(before)]);
      }
    }),
  );
});
