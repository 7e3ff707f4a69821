import {
  editsAnswer,
  encodeChange,
  encodeChangeInTurns,
  packFrame,
  type EditsHeader,
} from '@judoka/contract';
import { HttpError, request } from '../api/http.ts';
import type { EditContent } from './editContent.ts';
import { isLarge, nextTurn } from './turns.ts';
import { dropEdits, keepEdit, type KeptEdit } from './editStore.ts';
import type { MailBlob } from './mail.ts';
import { mailInWorker, type MailService } from './mailWorker.ts';
import { THIS_TAB } from './outboxStore.ts';

/** An edit on its way. Its content is what was done; for an undo, the inverse of its target. */
export interface PendingEdit extends EditContent {
  id: string;
  kind: KeptEdit['kind'];
  label: string;
  target?: string;
  /** Resolves to its place in the browser's store once it is kept there. */
  kept: Promise<number>;
  /** The weights' part of it as bytes, to be sent; its id where the mail holds them. */
  bytes: Promise<MailBlob>;
}

/** An edit as it is made. */
export type NewEdit = Omit<PendingEdit, 'kept' | 'bytes'>;

export type SaveState =
  | { readonly kind: 'saved' }
  | { readonly kind: 'saving'; readonly count: number }
  | { readonly kind: 'offline'; readonly count: number }
  | { readonly kind: 'failed'; readonly count: number; readonly message: string };

const MOST_AT_ONCE = 100;

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
  readonly #mail: MailService;
  #pending: PendingEdit[] = [];
  #head: number;
  #sending = false;
  /** Ends when all edits are kept, while a large one is not yet. */
  #keeping: Promise<void> | undefined;
  #failures = 0;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #closed = false;
  state: SaveState = { kind: 'saved' };

  /** @param mail keeps and sends what has very many points */
  constructor(
    character: string,
    head: number,
    onState: () => void,
    onClash: () => Promise<void>,
    mail: MailService = mailInWorker,
  ) {
    this.#character = character;
    this.#head = head;
    this.#onState = onState;
    this.#onClash = onClash;
    this.#mail = mail;
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
    const again = new Set(now.filter(({ change }) => isLarge(change)).map(({ id }) => id));
    await this.#dropKept(
      before.filter(({ id }) => !again.has(id)),
      orders,
    );
  }

  /** Takes what was kept out of the browser's store, and edits that the mail held out of the mail. */
  async #dropKept(edits: readonly PendingEdit[], orders: readonly number[]): Promise<void> {
    const ids = edits.filter(({ change }) => isLarge(change)).map(({ id }) => id);
    if (ids.length > 0) await this.#mail.forget(ids);
    await dropEdits(orders);
  }

  /** Edits are kept in the order in which they were made, also where a large one takes some turns. */
  #keep(edit: NewEdit): PendingEdit {
    const { change, ...rest } = edit;
    const asKept = (bytes: Uint8Array<ArrayBuffer>): KeptEdit => {
      return { ...rest, character: this.#character, tab: THIS_TAB, change: bytes };
    };
    if (!isLarge(change) && !this.#keeping) {
      const bytes = encodeChange(change);
      return { ...edit, bytes: Promise.resolve(bytes), kept: keepEdit(asKept(bytes)) };
    }
    const before = this.#keeping ?? Promise.resolve();
    const bytes: Promise<MailBlob> = before.then(() => (isLarge(change) ? edit.id : encodeChange(change)));
    const kept = bytes.then(async (own) =>
      typeof own === 'string'
        ? this.#mail.keep(asKept(await encodeChangeInTurns(change, nextTurn)))
        : keepEdit(asKept(own)),
    );
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

  /** Posts a batch whose edits all are kept; what the mail holds goes by the mail. @returns the new head */
  async #post(batch: readonly PendingEdit[]): Promise<number> {
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
    const path = `/api/characters/${this.#character}/edits`;
    const blobs = await Promise.all(batch.filter(({ kind }) => kind === 'edit').map(({ bytes }) => bytes));
    const held = blobs.filter((blob) => typeof blob === 'string');
    if (held.length === 0) {
      const response = await request(path, {
        method: 'POST',
        headers: { 'Content-Type': 'application/octet-stream' },
        body: packFrame(
          header,
          blobs.filter((blob) => typeof blob !== 'string'),
        ),
      });
      return editsAnswer.parse(await response.json()).head;
    }
    const posted = await this.#mail.send(path, header, blobs);
    if (!posted.done) throw new HttpError(posted.code, posted.message, posted.detail);
    return editsAnswer.parse(posted.answer).head;
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
      this.#head = await this.#post(batch);
      this.#pending.splice(0, batch.length);
      this.#failures = 0;
      await this.#dropKept(batch, orders);
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
