import {
  encodeWeights,
  encodeWeightsInTurns,
  MAX_EDITS_A_REQUEST,
  MAX_PIECE_BYTES,
  type EditsAnswer,
} from '@judoka/contract';
import { isEmpty } from '@judoka/core/weights';
import type { Edit } from '@judoka/core/document';
import { HttpError } from '../../api/http.ts';
import { sendAttachments } from '../attachments.ts';
import { dropAttachments, dropEdits, keepEdit, setAside, type StoredEdit } from './editStore.ts';
import { postEdits } from './postEdits.ts';
import { saveStateOf, type Failure, type SaveState } from './saveState.ts';
import { THIS_TAB } from '../readers/tabs.ts';
import { isLarge, nextTurn } from '../turns.ts';
import { uploadInThread, type UploadService } from './uploaderThread.ts';
import { messageOf } from '@judoka/core/errors';

/** An edit as it is made. Its content is what was done; for an undo, the inverse of its target. */
export interface NewEdit extends Edit {
  readonly id: string;
  readonly kind: StoredEdit['kind'];
  readonly label: string;
  readonly target?: string;
  /** What has to be on the server before it. */
  readonly attachments?: readonly string[];
  /** What was there before is kept as a moment. */
  readonly isLarge?: boolean;
}

/** An edit on its way. */
export interface PendingEdit extends NewEdit {
  /** Resolves to its place in the browser's store once it is kept there. */
  readonly stored: Promise<number>;
  /** Its weights as bytes, to be sent; `held` where the uploader has them. */
  readonly bytes: Promise<Uint8Array<ArrayBuffer> | 'held' | undefined>;
  /** It may still grow until then, by the clock of `performance.now()`. */
  readonly openUntil: number;
}

/** What the queue's owner does when the server says no. */
export interface QueueHost {
  stateChanged(): void;
  /** Puts pending edits on top of what others did meanwhile. */
  clashed(): Promise<void>;
  /** Takes a refused edit out of the document, and puts those that came after it on what is left. */
  refused(edit: PendingEdit, reason: string): Promise<void>;
}

const RETRY_MS = [1000, 2000, 4000, 8000];
const MAX_CLASHES = 8;
/** Refusals of a request that no repeat can mend. */
const REFUSALS: readonly HttpError['code'][] = [
  'edit-refused',
  'request-invalid',
  'delta-invalid',
  'argument-invalid',
  'file-too-large',
];

/**
 * Sends edits to the server in the order in which they were made. Each is kept in the browser before it is sent and
 * until the server has confirmed it, so that neither a crash nor a lost connection loses one. What the server refuses
 * is set aside, and the rest goes on.
 */
export class EditQueue {
  readonly #character: string;
  readonly #host: QueueHost;
  readonly #uploader: UploadService;
  #pending: PendingEdit[] = [];
  #head: number;
  #sending = false;
  /** Ends when all edits are kept, while a large one is not yet. */
  #storing: Promise<void> | undefined;
  #failures = 0;
  #clashes = 0;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #closed = false;
  #failure: Failure | undefined;
  /** Whether edits go one by one, to find out which of them a request was refused for. */
  #oneByOne = false;

  /** @param uploader keeps and sends what has very many points */
  constructor(character: string, head: number, host: QueueHost, uploader: UploadService = uploadInThread) {
    this.#character = character;
    this.#head = head;
    this.#host = host;
    this.#uploader = uploader;
    addEventListener('online', this.tryNow);
  }

  /** What can be sent at once still is; what cannot stays in the browser for whoever opens the character next. */
  close(): void {
    this.#closed = true;
    clearTimeout(this.#timer);
    removeEventListener('online', this.tryNow);
    if (!this.#failure) void this.#send(true);
  }

  get head(): number {
    return this.#head;
  }

  get pending(): readonly PendingEdit[] {
    return this.#pending;
  }

  get isIdle(): boolean {
    return this.#pending.length === 0 && !this.#sending;
  }

  get state(): SaveState {
    return saveStateOf(this.#pending.length, this.#failure);
  }

  /** @param openMs how long the edit may still grow: it is not sent before */
  push(edit: NewEdit, openMs = 0): void {
    this.#pending.push(this.#store(edit, openMs));
    this.#host.stateChanged();
    this.#sendSoon();
  }

  /** Whether the last edit is this one and may still grow. */
  canGrow(id: string): boolean {
    const last = this.#pending.at(-1);
    return last?.id === id && last.openUntil > performance.now();
  }

  /** The last edit is now this one: it grew. */
  grow(edit: NewEdit, openMs: number): void {
    const before = this.#pending.pop();
    if (!before) return;
    this.#pending.push(this.#store(edit, openMs, before.stored));
    this.#host.stateChanged();
    this.#sendSoon();
  }

  /** After a clash: the head that was caught up with, and the pending edits as they are now. */
  async replace(head: number, edits: readonly NewEdit[]): Promise<void> {
    // Exchanged at once: a stroke that ends while the store is busy must find its place behind these.
    const before = this.#pending;
    const now = edits.map((edit) => this.#store(edit, 0));
    this.#head = head;
    this.#pending = [...now];
    this.#host.stateChanged();
    const orders = await Promise.all(before.map(({ stored }) => stored));
    await Promise.all(now.map(({ stored }) => stored));
    const again = new Set(now.filter(({ weights }) => isLarge(weights)).map(({ id }) => id));
    await this.#forget(
      before.filter(({ id }) => !again.has(id)),
      orders,
    );
    void this.#send();
  }

  /** Sets a refused edit aside; the caller has replaced the others already. */
  async setAside(edit: PendingEdit, reason: string): Promise<void> {
    const { id, kind, label, target, joints, values, attachments, isLarge: isStep } = edit;
    const change = encodeWeights(edit.weights);
    await setAside(
      {
        character: this.#character,
        ...{ id, kind, label, target, joints, values, attachments, change, isLarge: isStep },
        reason,
        refusedAt: Date.now(),
      },
      await edit.stored,
    );
  }

  /** Takes edits out of the browser's store, and large ones out of the uploader. */
  async #forget(edits: readonly PendingEdit[], orders: readonly number[]): Promise<void> {
    const ids = edits.filter(({ weights }) => isLarge(weights)).map(({ id }) => id);
    if (ids.length > 0) await this.#uploader.forget(ids);
    await dropEdits(orders);
  }

  /** Edits are kept in the order in which they were made, also where a large one takes some turns. */
  #store(edit: NewEdit, openMs: number, place?: Promise<number>): PendingEdit {
    const { weights, ...rest } = edit;
    const openUntil = openMs > 0 ? performance.now() + openMs : 0;
    const asStored = async (change: Uint8Array<ArrayBuffer>): Promise<StoredEdit> => {
      const order = await place;
      const stored = { ...rest, character: this.#character, tab: THIS_TAB, change };
      return order === undefined ? stored : { ...stored, order };
    };
    const own = edit.kind === 'edit' && !isEmpty(weights);
    if (!isLarge(weights) && !this.#storing) {
      const change = encodeWeights(weights);
      const stored = place
        ? asStored(change).then(keepEdit)
        : keepEdit({ ...rest, character: this.#character, tab: THIS_TAB, change });
      return { ...edit, openUntil, bytes: Promise.resolve(own ? change : undefined), stored };
    }
    const before = this.#storing ?? Promise.resolve();
    const encoded = before.then(() => (isLarge(weights) ? ('held' as const) : encodeWeights(weights)));
    const stored = encoded.then(async (change) =>
      change === 'held'
        ? this.#uploader.keep(await asStored(await encodeWeightsInTurns(weights, nextTurn)))
        : keepEdit(await asStored(change)),
    );
    const done = stored.then(
      () => undefined,
      () => undefined,
    );
    this.#storing = done;
    void done.then(() => {
      if (this.#storing === done) this.#storing = undefined;
    });
    return { ...edit, openUntil, bytes: encoded.then((change) => (own ? change : undefined)), stored };
  }

  /** Tries at once, without waiting for its turn. */
  readonly tryNow = (): void => {
    clearTimeout(this.#timer);
    void this.#send();
  };

  /** Sends when the last edit does not grow any more. */
  #sendSoon(): void {
    const last = this.#pending.at(-1);
    const wait = this.#pending.length > 1 || !last ? 0 : last.openUntil - performance.now();
    if (wait <= 0) {
      if (!this.#failure) void this.#send();
      return;
    }
    if (this.#failure) return;
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => void this.#send(), wait);
  }

  /** The edits of the next request: as many as fit, without one that may still grow. */
  async #nextBatch(all: boolean): Promise<PendingEdit[]> {
    const batch: PendingEdit[] = [];
    let bytes = 0;
    for (const edit of this.#pending.slice(0, this.#oneByOne ? 1 : MAX_EDITS_A_REQUEST)) {
      // Only the last one may still grow.
      if (!all && edit === this.#pending.at(-1) && edit.openUntil > performance.now()) break;
      const own = await edit.bytes;
      const size = own instanceof Uint8Array ? own.length : own === 'held' ? MAX_PIECE_BYTES : 0;
      if (batch.length > 0 && bytes + size > MAX_PIECE_BYTES) break;
      batch.push(edit);
      bytes += size + JSON_BYTES * (edit.joints.length + edit.values.length);
    }
    return batch;
  }

  async #post(batch: readonly PendingEdit[]): Promise<EditsAnswer> {
    for (const { attachments = [] } of batch) await sendAttachments(this.#character, attachments);
    const edits = await Promise.all(
      batch.map(async ({ id, kind, label, target, joints, values, bytes, isLarge: isStep }) => ({
        ...{ id, kind, label, target, joints, values, isLarge: isStep },
        bytes: await bytes,
      })),
    );
    const whole = edits.flatMap(({ bytes, ...edit }) => (bytes === 'held' ? [] : [{ ...edit, bytes }]));
    if (whole.length === edits.length) return postEdits(this.#character, this.#head, whole);
    const posted = await this.#uploader.post(this.#character, this.#head, edits);
    if (!posted.done) throw new HttpError(posted.code, posted.message, posted.detail);
    return posted.answer;
  }

  async #send(all = false): Promise<void> {
    if (this.#sending || this.#pending.length === 0) return;
    this.#sending = true;
    clearTimeout(this.#timer);
    let again = true;
    try {
      const batch = await this.#nextBatch(all);
      const orders = await Promise.all(batch.map(({ stored }) => stored));
      if (batch.length === 0) again = false;
      else {
        const { head, behind } = await this.#post(batch);
        this.#failure = undefined;
        this.#failures = this.#clashes = 0;
        this.#oneByOne = false;
        if (behind) {
          // They are in, above edits of others: those are taken in below them.
          await this.#host.clashed();
        } else {
          this.#head = head;
          this.#pending.splice(0, batch.length);
          await this.#forget(batch, orders);
        }
        await dropAttachments(batch.flatMap(({ attachments = [] }) => attachments));
      }
      this.#host.stateChanged();
    } catch (error) {
      again = await this.#recover(error);
    } finally {
      this.#sending = false;
    }
    if (again) void this.#send(all);
    else if (!this.#failure && !this.#closed) this.#sendSoon();
  }

  /** @returns whether to send again at once */
  async #recover(error: unknown): Promise<boolean> {
    const code = error instanceof HttpError ? error.code : 'server-failed';
    const message = messageOf(error);
    if (this.#closed) return false;
    try {
      if (code === 'edit-clash' && this.#clashes++ < MAX_CLASHES) {
        await this.#host.clashed();
        return true;
      }
      if (REFUSALS.includes(code) && error instanceof HttpError) {
        const named = this.#pending.find(({ id }) => id === error.detail.edit);
        if (!named && !this.#oneByOne) {
          this.#oneByOne = true;
          return true;
        }
        this.#oneByOne = false;
        await this.#host.refused(named ?? this.#pending[0], message);
        return true;
      }
    } catch (failure) {
      return this.#recover(failure);
    }
    this.#failure = { code, message };
    this.#host.stateChanged();
    this.#timer = setTimeout(
      () => void this.#send(),
      RETRY_MS[Math.min(this.#failures++, RETRY_MS.length - 1)],
    );
    return false;
  }
}

/** What a joint or a value in a header weighs, about. */
const JSON_BYTES = 600;
