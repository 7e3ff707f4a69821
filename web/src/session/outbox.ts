import {
  editsAnswer,
  encodeChange,
  encodeChangeInTurns,
  packFrame,
  type EditsHeader,
} from '@judoka/contract';
import type { Change } from '@judoka/core';
import { HttpError, request } from '../api/http.ts';
import type { EditContent } from './editContent.ts';
import { isLarge, nextTurn } from './turns.ts';
import { dropEdits, keepEdit, THIS_TAB, type KeptEdit } from './outboxStore.ts';

/** An edit on its way. Its content is what was done; for an undo, the inverse of its target. */
export interface PendingEdit extends EditContent {
  id: string;
  kind: KeptEdit['kind'];
  label: string;
  target?: string;
  /** Resolves to its place in the browser's store once it is kept there. */
  kept: Promise<number>;
  /** The weights' part of it as bytes, to be sent. */
  bytes: Promise<Uint8Array<ArrayBuffer>>;
}

/** An edit as it is made. */
export type NewEdit = Omit<PendingEdit, 'kept' | 'bytes'>;

export type SaveState =
  | { readonly kind: 'saved' }
  | { readonly kind: 'saving'; readonly count: number }
  | { readonly kind: 'offline'; readonly count: number }
  | { readonly kind: 'failed'; readonly count: number; readonly message: string };

const MOST_AT_ONCE = 100;

const encode = (change: Change): Promise<Uint8Array<ArrayBuffer>> =>
  isLarge(change) ? encodeChangeInTurns(change, nextTurn) : Promise.resolve(encodeChange(change));

const RETRY_MS = [1000, 2000, 4000, 8000];

/**
 * Sends edits to the server in the order in which they were made. Each is kept in the browser before it is sent and
 * until the server has confirmed it, so that neither a crash nor a lost connection loses one.
 */
export class Outbox {
  readonly #character: string;
  readonly #onState: () => void;
  /** Puts pending edits on top of what others did meanwhile; the character's own business. */
  readonly #onClash: () => Promise<void>;
  #pending: PendingEdit[] = [];
  #head: number;
  #sending = false;
  /** Ends when all edits are kept, while a large one is not yet. */
  #keeping: Promise<void> | undefined;
  #failures = 0;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #closed = false;
  state: SaveState = { kind: 'saved' };

  constructor(character: string, head: number, onState: () => void, onClash: () => Promise<void>) {
    this.#character = character;
    this.#head = head;
    this.#onState = onState;
    this.#onClash = onClash;
    addEventListener('online', this.#tryNow);
  }

  /** What can be sent at once still is; what cannot stays in the browser for whoever opens the character next. */
  close(): void {
    this.#closed = true;
    clearTimeout(this.#timer);
    removeEventListener('online', this.#tryNow);
  }

  get head(): number {
    return this.#head;
  }

  get pending(): readonly PendingEdit[] {
    return this.#pending;
  }

  push(edit: NewEdit): void {
    this.#pending.push(this.#keep(edit));
    if (this.state.kind !== 'offline') this.#setState({ kind: 'saving', count: this.#pending.length });
    else this.#setState({ ...this.state, count: this.#pending.length });
    void this.#send();
  }

  /** After a clash: the head that was caught up with, and the pending edits as they are now. */
  async replace(head: number, edits: readonly NewEdit[]): Promise<void> {
    // Exchanged at once: a stroke that ends while the store is busy must find its place behind these.
    const before = this.#pending;
    const now = edits.map((edit) => this.#keep(edit));
    this.#head = head;
    this.#pending = [...now];
    const count = this.#pending.length;
    this.#setState(count === 0 ? { kind: 'saved' } : { kind: 'saving', count });
    const orders = await Promise.all(before.map(({ kept }) => kept));
    await Promise.all(now.map(({ kept }) => kept));
    await dropEdits(orders);
  }

  /** Edits are kept in the order in which they were made, also where a large one takes some turns. */
  #keep(edit: NewEdit): PendingEdit {
    const { change, ...rest } = edit;
    const store = (bytes: Uint8Array<ArrayBuffer>): Promise<number> =>
      keepEdit({ ...rest, character: this.#character, tab: THIS_TAB, change: bytes });
    if (!isLarge(change) && !this.#keeping) {
      const bytes = encodeChange(change);
      return { ...edit, bytes: Promise.resolve(bytes), kept: store(bytes) };
    }
    const before = this.#keeping ?? Promise.resolve();
    const bytes = before.then(() => encode(change));
    const kept = bytes.then(store);
    const done = kept.then(
      () => undefined,
      () => undefined,
    );
    this.#keeping = done;
    void done.then(() => {
      if (this.#keeping === done) this.#keeping = undefined;
    });
    return { ...edit, bytes, kept };
  }

  readonly #tryNow = (): void => {
    clearTimeout(this.#timer);
    void this.#send();
  };

  async #send(): Promise<void> {
    if (this.#sending || this.#pending.length === 0) return;
    this.#sending = true;
    clearTimeout(this.#timer);
    const batch = this.#pending.slice(0, MOST_AT_ONCE);
    let again = true;
    try {
      const orders = await Promise.all(batch.map(({ kept }) => kept));
      const header: EditsHeader = {
        base: this.#head,
        entries: batch.map(({ id, kind, label, target, joints }) => ({
          id,
          kind,
          label,
          target,
          joints: kind === 'edit' && joints.length > 0 ? joints : undefined,
        })),
      };
      const blobs = await Promise.all(batch.filter(({ kind }) => kind === 'edit').map(({ bytes }) => bytes));
      const response = await request(`/api/characters/${this.#character}/edits`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/octet-stream' },
        body: packFrame(header, blobs),
      });
      this.#head = editsAnswer.parse(await response.json()).head;
      this.#pending.splice(0, batch.length);
      this.#failures = 0;
      await dropEdits(orders);
      const count = this.#pending.length;
      this.#setState(count === 0 ? { kind: 'saved' } : { kind: 'saving', count });
    } catch (error) {
      again = await this.#recover(error);
    } finally {
      this.#sending = false;
    }
    if (again) void this.#send();
  }

  /** @returns whether to send again at once */
  async #recover(error: unknown): Promise<boolean> {
    if (this.#closed) return false;
    const count = this.#pending.length;
    const code = error instanceof HttpError ? error.code : 'server-failed';
    const message = error instanceof Error ? error.message : String(error);
    if (code === 'edit-clash' && this.#failures < RETRY_MS.length) {
      this.#failures++;
      try {
        await this.#onClash();
        return true;
      } catch (failure) {
        return this.#recover(failure);
      }
    }
    if (code === 'offline' || code === 'server-failed') {
      this.#setState({ kind: 'offline', count });
      this.#timer = setTimeout(
        () => void this.#send(),
        RETRY_MS[Math.min(this.#failures, RETRY_MS.length - 1)],
      );
      this.#failures++;
      return false;
    }
    this.#setState({ kind: 'failed', count, message });
    return false;
  }

  #setState(state: SaveState): void {
    this.state = state;
    this.#onState();
  }
}
