import { commentsAnswer, type Comment, type NewComment } from '@judoka/contract';
import { request } from '../../api/http.ts';
import { Events } from '../../document/events.ts';
import type { OpenDocument } from '../../document/OpenDocument.ts';

type Commented = Pick<OpenDocument, 'id' | 'events' | 'notifyError'>;

/** A place on the surface. */
export type Place = NonNullable<NewComment['place']>;

const JSON_BODY = { 'Content-Type': 'application/json' };

/** What is said about a character, and what is about to be said. */
export class Comments {
  readonly events = new Events<'changed'>();
  list: readonly Comment[] = [];
  /** The panel is open. */
  isOpen = false;
  /** The next click on the model says which place is meant. */
  isPointing = false;
  /** The place that is meant by what is being written. */
  place: Place | undefined;
  /** The one that is looked at. */
  chosen: string | undefined;
  readonly #document: Commented;
  readonly #path: string;
  readonly #unsubscribe: () => void;

  constructor(document: Commented) {
    this.#document = document;
    this.#path = `/api/characters/${document.id}/comments`;
    this.#unsubscribe = document.events.subscribe('comments', () => void this.load());
  }

  close(): void {
    this.#unsubscribe();
  }

  get open(): readonly Comment[] {
    return this.list.filter(({ settledAt }) => settledAt === null);
  }

  set(change: Partial<Pick<Comments, 'isOpen' | 'isPointing' | 'place' | 'chosen'>>): void {
    Object.assign(this, change);
    this.events.publish('changed');
  }

  /** Reads them anew; what cannot be read now comes with the next news. */
  async load(): Promise<void> {
    try {
      const response = await request(this.#path);
      this.list = commentsAnswer.parse(await response.json()).comments;
      this.events.publish('changed');
    } catch {
      // The stream tells again when it is back.
    }
  }

  /** Says something. @throws HttpError what stands in the way; the text is the caller's still */
  async say(text: string, joint: number | null): Promise<void> {
    const body: NewComment = { id: crypto.randomUUID(), text, place: this.place ?? null, joint };
    await request(this.#path, { method: 'POST', headers: JSON_BODY, body: JSON.stringify(body) });
    this.set({ place: undefined, isPointing: false, chosen: body.id });
    await this.load();
  }

  async change(id: string, change: { readonly text?: string; readonly settled?: boolean }): Promise<void> {
    await this.#do(`/${id}`, { method: 'PATCH', headers: JSON_BODY, body: JSON.stringify(change) });
  }

  async drop(id: string): Promise<void> {
    await this.#do(`/${id}`, { method: 'DELETE' });
  }

  async #do(path: string, init: RequestInit): Promise<void> {
    try {
      await request(this.#path + path, init);
    } catch (error) {
      this.#document.notifyError(error);
    }
    await this.load();
  }
}
