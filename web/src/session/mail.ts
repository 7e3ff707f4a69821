import { packFrame, type EditsHeader } from '@judoka/contract';
import { HttpError, request } from '../api/http.ts';
import { keepEdit, type KeptEdit } from './editStore.ts';

/** How a sending went, as data: errors lose what is more than their message on the way between threads. */
export type Posted =
  | { readonly done: true; readonly answer: unknown }
  | {
      readonly done: false;
      readonly code: HttpError['code'];
      readonly message: string;
      readonly detail: HttpError['detail'];
    };

/** A blob to be sent: bytes, or the id of an edit whose bytes are held here. */
export type MailBlob = Uint8Array<ArrayBuffer> | string;

/**
 * Keeps and sends edits of very many points. It works in a thread of its own: tens of megabytes on their way into the
 * browser's store and onto the wire would hold the page up.
 */
export class Mail {
  readonly #held = new Map<string, Uint8Array>();

  /** Keeps an edit in the browser, and its bytes here until it is sent. */
  keep(edit: KeptEdit): Promise<number> {
    this.#held.set(edit.id, edit.change);
    return keepEdit(edit);
  }

  /** Sends edits as one frame. */
  async send(path: string, header: EditsHeader, blobs: readonly MailBlob[]): Promise<Posted> {
    try {
      const bytes = blobs.map((blob) => (typeof blob === 'string' ? this.#bytesOf(blob) : blob));
      const response = await request(path, {
        method: 'POST',
        headers: { 'Content-Type': 'application/octet-stream' },
        body: packFrame(header, bytes),
      });
      return { done: true, answer: await response.json() };
    } catch (error) {
      const { code, message, detail } =
        error instanceof HttpError ? error : new HttpError('server-failed', String(error));
      return { done: false, code, message, detail };
    }
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
