import {
  editHeader,
  laterEditsHeader,
  unpackFrame,
  decodeChange,
  type CharacterAnswer,
} from '@judoka/contract';
import { EMPTY_HISTORY, type History, type HistoryEntry, record } from '@judoka/core/document';
import { requestBytes } from '../api/http.ts';
import { asDone, invertContent, isEmptyContent, type EditContent } from './editContent.ts';
import { Outbox, type NewEdit } from './outbox.ts';
import { dropEdits } from './editStore.ts';
import { findLeftEdits, whenTabGone } from './outboxStore.ts';

/** What the log needs from the character at work. */
export interface LogHost {
  readonly id: string;
  /** Does to weights and joints what a content says, and shows it. */
  applyContent(content: EditContent): void;
  /** The same, with turns for the page where it is of very many points. */
  applyInTurns(content: EditContent): Promise<void>;
  /** The same content on top of what is there now; `overlapping` counts points that others had changed too. */
  rebaseContent(content: EditContent): { content: EditContent; overlapping: number };
  /** Resolves when no stroke is running: rows must not change under it, since its delta remembers how they were. */
  strokeEnded(): Promise<void>;
  /** Whether something was only shown, and is dropped now. */
  dropProposal(): Promise<boolean>;
  historyChanged(): void;
  savingChanged(): void;
  tellPerson(sentence: string): void;
}

/** Contents held for undo; older ones are fetched again. */
const MOST_HELD = 200;

/** The character's log as this tab sees it: what was done, what can be undone, what is still to be sent. */
export class EditLog {
  readonly outbox: Outbox;
  history: History;
  readonly #host: LogHost;
  readonly #contents = new Map<string, EditContent>();
  /** Edits that the server had when the character was opened. */
  readonly #onServer: ReadonlySet<string>;
  #working: Promise<unknown> = Promise.resolve();
  readonly #closing = new AbortController();
  readonly #watched = new Set<string>();

  constructor(host: LogHost, { history, head }: Pick<CharacterAnswer, 'history' | 'head'>) {
    this.#host = host;
    this.history = history.reduce((made, entry) => record(made, entry as HistoryEntry), EMPTY_HISTORY);
    this.#onServer = new Set(history.map(({ id }) => id));
    this.outbox = new Outbox(
      host.id,
      head,
      () => host.savingChanged(),
      () => this.catchUp(),
    );
  }

  close(): void {
    this.#closing.abort();
    this.outbox.close();
  }

  /** Takes what was done into the log: named, kept and sent. */
  commit(kind: HistoryEntry['kind'], label: string, content: EditContent, target?: string): void {
    const id = crypto.randomUUID();
    this.history = record(this.history, { id, kind, label, target });
    if (kind === 'edit') this.#hold(id, content);
    this.outbox.push({ id, kind, label, target, ...content });
    this.#host.historyChanged();
  }

  #hold(id: string, content: EditContent): void {
    this.#contents.set(id, content);
    if (this.#contents.size > MOST_HELD) this.#contents.delete([...this.#contents.keys()][0]);
  }

  undo(): Promise<void> {
    return this.#inTurn(() => this.#step('undo'));
  }

  redo(): Promise<void> {
    return this.#inTurn(() => this.#step('redo'));
  }

  async #step(kind: 'undo' | 'redo'): Promise<void> {
    const list = kind === 'undo' ? this.history.done : this.history.undone;
    const target = list[list.length - 1];
    await this.#host.strokeEnded();
    // What is only shown is not in the history: to undo it is to drop it.
    if ((await this.#host.dropProposal()) || !target) return;
    try {
      const content = asDone(kind, await this.#contentOf(target.id));
      await this.#host.strokeEnded();
      const after = kind === 'undo' ? this.history.done : this.history.undone;
      // A stroke or a clash came in between: it is another edit's turn now.
      if (after[after.length - 1]?.id !== target.id) return;
      await this.#host.applyInTurns(content);
      this.commit(kind, target.label, content, target.id);
    } catch (error) {
      this.#host.tellPerson(
        `“${target.label}” cannot be ${kind === 'undo' ? 'undone' : 'redone'} now. ${error instanceof Error ? error.message : String(error)}`,
      );
    }
  }

  async #contentOf(edit: string): Promise<EditContent> {
    const held = this.#contents.get(edit);
    if (held) return held;
    const frame = unpackFrame(await requestBytes(`/api/characters/${this.#host.id}/edits/${edit}/delta`));
    const content = {
      change: decodeChange(frame.blobs[0]),
      joints: editHeader.parse(frame.header).joints,
    };
    this.#hold(edit, content);
    return content;
  }

  #inTurn(work: () => Promise<void>): Promise<void> {
    const next = this.#working.then(work);
    this.#working = next.catch(() => undefined);
    return next;
  }

  /**
   * Edits that a closed or crashed tab left in this browser are put on top of what the server has, and sent. Where such
   * a tab still lives, or is only just going, it is left to send them; once it is gone, what remains is taken over.
   */
  async adoptUnsent(): Promise<void> {
    const own = new Set(this.outbox.pending.map(({ id }) => id));
    const { free, tabs } = await findLeftEdits(this.#host.id, own).catch(() => ({ free: [], tabs: [] }));
    for (const tab of tabs) {
      if (this.#watched.has(tab)) continue;
      this.#watched.add(tab);
      whenTabGone(tab, this.#closing.signal).then(
        () => this.#inTurn(() => this.#adoptLater()),
        () => undefined,
      );
    }
    const stale = free.map(({ order }) => order);
    let count = 0;
    for (const { id, kind, label, change, joints = [] } of free) {
      if (this.#onServer.has(id)) continue;
      const { content } = this.#host.rebaseContent({ change: decodeChange(change), joints });
      if (isEmptyContent(content)) continue;
      this.#host.applyContent(content);
      this.commit('edit', kind === 'edit' ? label : `${kind} ${label}`, content);
      count++;
    }
    await Promise.all(this.outbox.pending.map(({ kept: stored }) => stored));
    if (stale.length > 0) await dropEdits(stale);
    if (count === 0) return;
    const strokes = count === 1 ? '1 stroke' : `${count} strokes`;
    this.#host.tellPerson(
      `${strokes} from before ${count === 1 ? 'was' : 'were'} still here and ${count === 1 ? 'is' : 'are'} sent now.`,
    );
  }

  /** The same, when a tab has gone while this one was open: not under a stroke, and after catching up. */
  async #adoptLater(): Promise<void> {
    await this.#host.strokeEnded();
    await this.adoptUnsent();
  }

  async #fetchLater(after: number) {
    const frame = unpackFrame(await requestBytes(`/api/characters/${this.#host.id}/edits?after=${after}`));
    const { head, entries } = laterEditsHeader.parse(frame.header);
    const contents = entries.map(({ joints = [] }, i): EditContent => ({
      change: decodeChange(frame.blobs[i]),
      joints,
    }));
    return { head, entries, contents };
  }

  /** The character was changed elsewhere: takes those edits in and puts the unsent ones on top of them. */
  async catchUp(): Promise<void> {
    const host = this.#host;
    const later = await this.#fetchLater(this.outbox.head);
    await host.strokeEnded();
    await host.dropProposal();
    const mine = [...this.outbox.pending];
    for (const edit of [...mine].reverse()) host.applyContent(invertContent(edit));
    const ours = new Set(mine.map(({ id }) => id));
    let history = this.#historyBefore(mine.length);
    later.entries.forEach((entry, i) => {
      host.applyContent(asDone(entry.kind, later.contents[i]));
      history = record(history, entry as HistoryEntry);
      if (entry.kind === 'edit') this.#hold(entry.id, later.contents[i]);
      ours.delete(entry.id);
    });
    let shared = 0;
    const again: NewEdit[] = [];
    for (const edit of mine.filter(({ id }) => ours.has(id))) {
      const { content, overlapping } = host.rebaseContent(edit);
      shared += overlapping;
      if (isEmptyContent(content)) continue;
      host.applyContent(content);
      const verb = { edit: '', undo: 'Undo ', redo: 'Redo ' }[edit.kind];
      const kept = { id: edit.id, kind: 'edit' as const, label: verb + edit.label };
      history = record(history, kept);
      this.#hold(edit.id, content);
      again.push({ ...kept, ...content });
    }
    this.history = history;
    await this.outbox.replace(later.head, again);
    host.historyChanged();
    if (later.entries.length > 0) host.tellPerson(clashSentence(later.entries.length, again.length, shared));
  }

  /** The history without its last `count` entries, which are not on the server. */
  #historyBefore(count: number): History {
    let { done, undone } = this.history;
    for (const { kind, id } of [...this.outbox.pending].reverse().slice(0, count)) {
      if (kind === 'edit') done = done.filter((entry) => entry.id !== id);
      else if (kind === 'undo') [done, undone] = [[...done, undone[undone.length - 1]], undone.slice(0, -1)];
      else [done, undone] = [done.slice(0, -1), [...undone, done[done.length - 1]]];
    }
    return { done, undone };
  }
}

function clashSentence(theirs: number, mine: number, shared: number): string {
  const changes = theirs === 1 ? '1 change was' : `${theirs} changes were`;
  const put = mine > 0 ? ` Yours ${mine === 1 ? 'was put' : 'were put'} on top.` : '';
  const overlap =
    shared > 0 ? ` ${shared.toLocaleString('en')} points had been changed there too; undo shows them.` : '';
  return `${changes} made in another tab or by someone else, and taken in here.${put}${overlap}`;
}
