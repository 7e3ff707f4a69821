import { encodeRows, type DocumentHeader, type EditsAnswer } from '@judoka/contract';
import type { WeightRows } from '@judoka/core/weights';
import { HttpError } from '../../api/http.ts';
import { keepCopy } from '../copies/copyStore.ts';
import { keepEdit, type StoredEdit } from './editStore.ts';
import { postEdits, type PostedEdit } from './postEdits.ts';

/** How a sending went, as data: errors lose what is more than their message on the way between threads. */
export type Posted =
  | { readonly done: true; readonly answer: EditsAnswer }
  | {
      readonly done: false;
      readonly code: HttpError['code'];
      readonly message: string;
      readonly detail: HttpError['detail'];
    };

/** An edit to be posted whose weights may be held by the uploader, under the edit's id. */
export interface HeldEdit extends Omit<PostedEdit, 'bytes'> {
  readonly bytes: Uint8Array | 'held' | undefined;
}

/**
 * Keeps and sends edits of very many points. It works in a thread of its own: tens of megabytes on their way into the
 * browser's store and onto the wire would hold the page up.
 */
export class BulkUploader {
  readonly #held = new Map<string, Uint8Array>();

  /** Keeps an edit in the browser, and its weights here until it is sent. */
  async keep(edit: StoredEdit): Promise<number> {
    this.#held.set(edit.id, edit.change);
    return keepEdit(edit);
  }

  async post(character: string, base: number, edits: readonly HeldEdit[]): Promise<Posted> {
    try {
      const whole = edits.map((edit) => ({
        ...edit,
        bytes: edit.bytes === 'held' ? this.#bytesOf(edit.id) : edit.bytes,
      }));
      return { done: true, answer: await postEdits(character, base, whole) };
    } catch (error) {
      const { code, message, detail } =
        error instanceof HttpError ? error : new HttpError('server-failed', String(error));
      return { done: false, code, message, detail };
    }
  }

  /** Keeps a copy of a character that is all saved. */
  keepCopy(header: DocumentHeader, rows: readonly WeightRows[]): Promise<void> {
    return keepCopy(header, encodeRows(rows));
  }

  /** Edits that are confirmed, or that are kept anew under another change. */
  forget(ids: readonly string[]): void {
    for (const id of ids) this.#held.delete(id);
  }

  #bytesOf(id: string): Uint8Array {
    const bytes = this.#held.get(id);
    if (!bytes) throw new Error('An edit was to be sent that is not held any more.');
    return bytes;
  }
}
