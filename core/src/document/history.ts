import { CoreError } from '../errors.ts';

/** A line of a character's log. The log only grows: undoing is a line of its own. */
export interface LogLine {
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

/** A stack of edits that shares what is below with the stacks it came from: a line of the log costs the same for ever. */
export interface EditStack {
  readonly top: EditRef;
  /** Undefined where nothing is below, or where it is not known here; see {@link History.moreDone}. */
  readonly below: EditStack | undefined;
}

/** What can be undone and redone after a log. */
export interface History {
  readonly done: EditStack | undefined;
  readonly undone: EditStack | undefined;
  /** Whether there are edits below the lowest of `done` that are not known here. */
  readonly moreDone: boolean;
}

export const EMPTY_HISTORY: History = { done: undefined, undone: undefined, moreDone: false };

/** A stack of edits, the top one last. */
export const stackOf = (edits: readonly EditRef[]): EditStack | undefined =>
  edits.reduce<EditStack | undefined>((below, { id, label }) => ({ top: { id, label }, below }), undefined);

/** The edits of a stack, the top one first. */
export function* editsOf(stack: EditStack | undefined): Generator<EditRef> {
  for (let held = stack; held; held = held.below) yield held.top;
}

/**
 * The history after one more line. An edit clears what could be redone.
 * @throws CoreError argument-invalid if an undo or redo does not name the edit whose turn it is
 */
export function record(history: History, line: LogLine): History {
  const { done, undone, moreDone } = history;
  switch (line.kind) {
    case 'edit':
      return { done: { top: refOf(line), below: done }, undone: undefined, moreDone };
    case 'undo': {
      const last = expectTop(done, line);
      return { done: last.below, undone: { top: last.top, below: undone }, moreDone };
    }
    case 'redo': {
      const last = expectTop(undone, line);
      return { done: { top: last.top, below: done }, undone: last.below, moreDone };
    }
  }
}

/** The history before its last line, which must be known. */
export function unrecord(history: History, line: LogLine, undoneBefore: EditStack | undefined): History {
  const { done, undone, moreDone } = history;
  switch (line.kind) {
    case 'edit':
      return { done: done?.below, undone: undoneBefore, moreDone };
    case 'undo':
      return { done: undone && { top: undone.top, below: done }, undone: undone?.below, moreDone };
    case 'redo':
      return { done: done?.below, undone: done && { top: done.top, below: undone }, moreDone };
  }
}

/** The same edit under another label, where it is on top: a drag that went on is still one edit. */
export function relabelTop(history: History, id: string, label: string): History {
  if (history.done?.top.id !== id) return history;
  return { ...history, done: { top: { id, label }, below: history.done.below } };
}

const refOf = ({ id, label }: LogLine): EditRef => ({ id, label });

function expectTop(stack: EditStack | undefined, line: LogLine): EditStack {
  if (stack && stack.top.id === line.target) return stack;
  throw new CoreError(
    'argument-invalid',
    `It is not the turn of “${line.label}” to be ${line.kind === 'undo' ? 'undone' : 'redone'}.`,
    { target: line.target ?? '' },
  );
}
