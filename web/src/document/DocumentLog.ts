import {
  decodeWeights,
  editHeader,
  historyAnswer,
  laterEditsHeader,
  shorten,
  MAX_LABEL_LENGTH,
  unpackFrame,
  type DocumentHeader,
  type LogEntry,
} from '@judoka/contract';
import {
  composeEdits,
  editOf,
  editsOf,
  invertEdit,
  isEmptyEdit,
  record,
  relabelTop,
  stackOf,
  unrecord,
  type Edit,
  type EditStack,
  type History,
  type JointNumbers,
  type LogLine,
  type RebasedEdit,
} from '@judoka/core/document';
import { request, requestBytes } from '../api/http.ts';
import { clashSentence, takenOverSentence } from './clashSentence.ts';
import { EditQueue, type NewEdit, type PendingEdit } from './queue/EditQueue.ts';
import { dropEdits } from './queue/editStore.ts';
import { findLeftEdits, whenTabGone } from './readers/tabs.ts';
import type { UploadService } from './queue/uploaderThread.ts';
import type { Shown } from './shown.ts';
import type { Writer } from './Writer.ts';
import { wantedRows } from '@judoka/core/weights';
import { messageOf } from '@judoka/core/errors';

/** What the log does to the document that it belongs to. */
export interface LogHost {
  readonly id: string;
  readonly writer: Writer;
  /** Who else is seen to be at work. */
  readonly others: readonly { readonly isMe: boolean }[];
  /** Does an edit, and lets everything that shows the document follow. */
  apply(edit: Edit): void;
  /** The same, with turns for the page where it is of very many points. */
  applyInTurns(edit: Edit): Promise<void>;
  /** An edit that was made on something else, put on the document as it is now. */
  rebase(edit: Edit, numbers: JointNumbers): RebasedEdit;
  readonly shown: Shown | undefined;
  /** Takes back what is only shown. @returns whether there was something */
  dropShown(): Promise<boolean>;
  /** Takes back what is only shown, and returns what shows it again on whatever is there then. */
  withoutShown(): () => void;
  /** Points where an edit could not be taken whole, with the rows that it had wanted. */
  notTaken(changes: Edit['weights']): void;
  historyChanged(): void;
  savingChanged(): void;
  refusedChanged(): void;
  notify(sentence: string): void;
}

/** How an edit is committed. */
export interface CommitOptions {
  /** Edits with the same key that follow each other within a second are one edit. */
  readonly growsAs?: string;
  readonly attachments?: readonly string[];
  /** Whether what was there before is kept as a moment. */
  readonly isLarge?: boolean;
  /** The id that it is to have; where something in it names it. */
  readonly id?: string;
}

/** Contents held for undo; older ones are fetched again. */
const MAX_HELD = 200;
/** How long an edit may still grow. */
const OPEN_MS = 1000;

/** The character's log as this tab sees it: what was done, what can be undone, what is still to be sent. */
export class DocumentLog {
  readonly queue: EditQueue;
  history: History;
  readonly #host: LogHost;
  readonly #contents = new Map<string, Edit>();
  /** What could be redone before each edit that is not sent yet. */
  readonly #undoneBefore = new Map<string, EditStack | undefined>();
  #growing: { readonly id: string; readonly key: string } | undefined;
  readonly #closing = new AbortController();
  readonly #watched = new Set<string>();

  constructor(
    host: LogHost,
    { done, undone, moreDone, head }: Pick<DocumentHeader, 'done' | 'undone' | 'moreDone' | 'head'>,
    uploader?: UploadService,
  ) {
    this.#host = host;
    this.history = { done: stackOf([...done].reverse()), undone: stackOf([...undone].reverse()), moreDone };
    this.queue = new EditQueue(
      host.id,
      head,
      {
        stateChanged: () => host.savingChanged(),
        clashed: () => this.catchUp(),
        refused: (edit, reason) => this.#setAside(edit, reason),
      },
      uploader,
    );
  }

  close(): void {
    this.#closing.abort();
    this.queue.close();
  }

  /** Takes what was done into the log: named, kept and sent. */
  commit(label: string, edit: Edit, options: CommitOptions = {}): void {
    const { growsAs, attachments, isLarge, id = crypto.randomUUID() } = options;
    const open = this.#growing;
    if (growsAs !== undefined && open?.key === growsAs && this.queue.canGrow(open.id)) {
      this.#grow(open.id, label, edit);
      return;
    }
    this.#growing = growsAs === undefined ? undefined : { id, key: growsAs };
    this.#push(
      { id, kind: 'edit', label, attachments, isLarge, ...edit },
      growsAs === undefined ? 0 : OPEN_MS,
    );
    this.#hold(id, edit);
  }

  #grow(id: string, label: string, edit: Edit): void {
    const before = this.#contents.get(id);
    if (!before) return;
    const whole = composeEdits(before, edit);
    this.#hold(id, whole);
    const short = shorten(label, MAX_LABEL_LENGTH);
    this.history = relabelTop(this.history, id, short);
    this.queue.grow({ id, kind: 'edit', label: short, ...whole }, OPEN_MS);
    this.#host.historyChanged();
  }

  #push(edit: NewEdit, openMs = 0): void {
    const named = { ...edit, label: shorten(edit.label, MAX_LABEL_LENGTH) };
    this.#undoneBefore.set(edit.id, this.history.undone);
    this.history = record(this.history, named);
    this.queue.push(named, openMs);
    this.#host.historyChanged();
  }

  #hold(id: string, content: Edit): void {
    this.#contents.delete(id);
    this.#contents.set(id, content);
    if (this.#contents.size > MAX_HELD) this.#contents.delete([...this.#contents.keys()][0]);
  }

  undo(): Promise<void> {
    return this.#host.writer.write('An undo', () => this.#step('undo'));
  }

  redo(): Promise<void> {
    return this.#host.writer.write('A redo', () => this.#step('redo'));
  }

  async #step(kind: 'undo' | 'redo'): Promise<void> {
    // What is only shown is not in the history: to undo it is to drop it.
    const { shown } = this.#host;
    if (shown?.step?.(kind)) return;
    if (shown && kind === 'redo') return;
    if (await this.#host.dropShown()) return;
    const target = (kind === 'undo' ? this.history.done : this.history.undone)?.top;
    if (!target) return;
    try {
      const content = asDone(kind, await this.#contentOf(target.id));
      await this.#host.applyInTurns(content);
      this.#growing = undefined;
      this.#push({ id: crypto.randomUUID(), kind, label: target.label, target: target.id, ...content });
      await this.#loadMoreHistory();
    } catch (error) {
      const verb = kind === 'undo' ? 'undone' : 'redone';
      this.#host.notify(`“${target.label}” cannot be ${verb} now. ${messageOf(error)}`);
    }
  }

  /** Fetches what lies below the lowest edit that is known here, before it is needed. */
  async #loadMoreHistory(): Promise<void> {
    const { done, moreDone } = this.history;
    if (!moreDone || !done || done.below) return;
    const response = await request(`/api/characters/${this.#host.id}/history?below=${done.top.id}`);
    const page = historyAnswer.parse(await response.json());
    const known = [...editsOf(this.history.done)];
    this.history = {
      ...this.history,
      done: stackOf([...known, ...page.done].reverse()),
      moreDone: page.moreDone,
    };
    this.#host.historyChanged();
  }

  async #contentOf(edit: string): Promise<Edit> {
    const held = this.#contents.get(edit);
    if (held) return held;
    const frame = unpackFrame(await requestBytes(`/api/characters/${this.#host.id}/edits/${edit}`));
    const { joints, values } = editHeader.parse(frame.header);
    const content = { joints, values, weights: frame.blobs[0] ? decodeWeights(frame.blobs[0]) : [] };
    this.#hold(edit, content);
    return content;
  }

  // ---- edits of an earlier visit -------------------------------------------------------------------------------

  /**
   * Edits that a closed or crashed tab left in this browser are put on top of what the server has, and sent. Where such
   * a tab still lives, or is only just going, it is left to send them; once it is gone, what remains is taken over.
   */
  async adoptUnsent(): Promise<void> {
    if (this.#host.writer.closed !== undefined) return;
    const own = new Set(this.queue.pending.map(({ id }) => id));
    const { free, tabs } = await findLeftEdits(this.#host.id, own).catch(() => ({ free: [], tabs: [] }));
    for (const tab of tabs) {
      if (this.#watched.has(tab)) continue;
      this.#watched.add(tab);
      whenTabGone(tab, this.#closing.signal).then(
        () => this.#host.writer.write('Taking over edits', () => this.adoptUnsent()),
        () => undefined,
      );
    }
    const numbers: JointNumbers = new Map();
    const known = new Set([...editsOf(this.history.done)].map(({ id }) => id));
    let count = 0;
    for (const { id, kind, label, change, joints = [], values = [], attachments, isLarge } of free) {
      if (known.has(id)) continue;
      const left = { weights: decodeWeights(change), joints, values };
      const { edit } = this.#host.rebase(left, numbers);
      if (isEmptyEdit(edit)) continue;
      this.#host.apply(edit);
      this.commit(kind === 'edit' ? label : `${kind} ${label}`, edit, { attachments, isLarge });
      count++;
    }
    await Promise.all(this.queue.pending.map(({ stored }) => stored));
    if (free.length > 0) await dropEdits(free.map(({ order }) => order));
    if (count > 0) this.#host.notify(takenOverSentence(count));
  }

  // ---- edits of others -----------------------------------------------------------------------------------------

  /** The server has a head that is not ours: takes its edits in, unless our own are just on their way. */
  async follow(head: number): Promise<void> {
    if (head <= this.queue.head || !this.queue.isIdle) return;
    await this.#host.writer.write('Taking in edits', async () => {
      if (head > this.queue.head && this.queue.isIdle) await this.#takeIn();
    });
  }

  /** The character was changed elsewhere: takes those edits in and puts the unsent ones on top of them. */
  async catchUp(): Promise<void> {
    await this.#host.writer.write('Taking in edits', () => this.#takeIn());
  }

  async #takeIn(): Promise<void> {
    const later = await this.#fetchLater(this.queue.head);
    const ours = new Set(this.queue.pending.map(({ id }) => id));
    const theirs = later.entries.filter(({ entry }) => !ours.has(entry.id)).length;
    const { again, shared, notTaken } = this.#putOn(later.entries, this.queue.pending);
    // Whoever is seen at work need not be told of at every stroke.
    if (theirs > 0 && (shared > 0 || this.#host.others.every(({ isMe }) => isMe)))
      this.#host.notify(clashSentence(theirs, again.length, shared));
    if (notTaken.length > 0) this.#host.notTaken(notTaken);
    await this.queue.replace(later.head, again);
  }

  /** Takes an edit out that the server refused, and puts the others on what is left. */
  async #setAside(edit: PendingEdit, reason: string): Promise<void> {
    await this.#host.writer.write('Setting an edit aside', async () => {
      await this.queue.setAside(edit, reason);
      const others = this.queue.pending.filter((one) => one !== edit);
      const { again } = this.#putOn([], others);
      this.#host.refusedChanged();
      this.#host.notify(`${reason} It is set aside: see what was not saved, at the top.`);
      await this.queue.replace(this.queue.head, again);
    });
  }

  /** Takes all unsent edits back, does others' edits, and puts `kept` of the unsent ones on top of them. */
  #putOn(entries: readonly ReadEntry[], kept: readonly PendingEdit[]) {
    const host = this.#host;
    const mine = [...this.queue.pending];
    const showAgain = host.withoutShown();
    for (const edit of [...mine].reverse()) {
      host.apply(invertEdit(edit));
      this.history = unrecord(this.history, edit, this.#undoneBefore.get(edit.id));
    }
    const sent = new Set<string>();
    for (const { entry, content } of entries) {
      host.apply(asDone(entry.kind, content));
      this.history = record(this.history, lineOf(entry));
      if (entry.kind === 'edit') this.#hold(entry.id, content);
      sent.add(entry.id);
    }
    const numbers: JointNumbers = new Map();
    const again: NewEdit[] = [];
    const notTaken: Edit['weights'][number][] = [];
    const wanted: Edit['weights'][number][] = [];
    let shared = 0;
    for (const pending of kept.filter(({ id }) => !sent.has(id))) {
      const rebased = host.rebase(editOf(pending), numbers);
      shared += rebased.overlapping;
      notTaken.push(...rebased.notTaken);
      wanted.push(...rebased.wanted);
      if (isEmptyEdit(rebased.edit)) continue;
      host.apply(rebased.edit);
      again.push(this.#asEdit(pending, rebased.edit));
    }
    showAgain();
    this.#growing = undefined;
    host.historyChanged();
    return { again, shared, notTaken: wantedRows(notTaken, wanted) };
  }

  /** An unsent edit that stands on something else now: an undo among them is an edit of its own then. */
  #asEdit({ id, kind, label, attachments, isLarge }: PendingEdit, edit: Edit): NewEdit {
    const verb = { edit: '', undo: 'Undo ', redo: 'Redo ' }[kind];
    const line = {
      id,
      kind: 'edit' as const,
      label: shorten(verb + label, MAX_LABEL_LENGTH),
      attachments,
      isLarge,
    };
    this.#undoneBefore.set(id, this.history.undone);
    this.history = record(this.history, line);
    this.#hold(id, edit);
    return { ...line, ...edit };
  }

  async #fetchLater(after: number): Promise<{ head: number; entries: ReadEntry[] }> {
    const entries: ReadEntry[] = [];
    for (let head = after; ;) {
      const frame = unpackFrame(await requestBytes(`/api/characters/${this.#host.id}/edits?after=${head}`));
      const page = laterEditsHeader.parse(frame.header);
      for (const entry of page.entries) {
        const { weights, joints = [], values = [] } = entry;
        const blob = weights && 'blob' in weights ? frame.blobs[weights.blob] : undefined;
        entries.push({ entry, content: { joints, values, weights: blob ? decodeWeights(blob) : [] } });
      }
      head = page.head;
      if (!page.more) return { head, entries };
    }
  }
}

interface ReadEntry {
  readonly entry: LogEntry;
  /** What the edit, or an undo's target, did. */
  readonly content: Edit;
}

/** What a line did: an undo is kept as its target, and does the inverse. */
const asDone = (kind: LogLine['kind'], content: Edit): Edit =>
  kind === 'undo' ? invertEdit(content) : content;

const lineOf = ({ id, kind, label, target }: LogEntry): LogLine => ({ id, kind, label, target });
