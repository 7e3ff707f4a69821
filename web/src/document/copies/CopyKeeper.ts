import type { OpenDocument } from '../OpenDocument.ts';
import { uploadInThread, type UploadService } from '../queue/uploaderThread.ts';

/** A copy is made when nothing was done for so long. */
const REST_MS = 1500;

type Kept = Pick<OpenDocument, 'events' | 'log' | 'shown' | 'header' | 'copyRows' | 'writer'>;

/**
 * Keeps a copy of the document in the browser whenever all of it is saved, so that it opens also while the server cannot
 * be reached; what is unsent then lies beside it, edit by edit.
 */
export class CopyKeeper {
  readonly #document: Kept;
  readonly #threads: Pick<UploadService, 'keepCopy'>;
  readonly #unsubscribe: readonly (() => void)[];
  #timer: ReturnType<typeof setTimeout> | undefined;
  #keptHead: number | undefined;

  constructor(document: Kept, threads: Pick<UploadService, 'keepCopy'> = uploadInThread) {
    this.#document = document;
    this.#threads = threads;
    this.#unsubscribe = (['saving', 'shown', 'history'] as const).map((kind) =>
      document.events.subscribe(kind, () => this.#keepSoon()),
    );
    this.#keepSoon();
  }

  close(): void {
    for (const end of this.#unsubscribe) end();
    clearTimeout(this.#timer);
  }

  #keepSoon(): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => this.#keep(), REST_MS);
  }

  #keep(): void {
    const { log, shown, writer } = this.#document;
    const { head, isIdle } = log.queue;
    if (head === this.#keptHead || !isIdle) return;
    // What is only shown, or half done, is not what the server has; its end is told.
    if (shown || writer.holder !== undefined) return;
    this.#keptHead = head;
    void this.#send(head);
  }

  async #send(head: number): Promise<void> {
    try {
      await this.#threads.keepCopy(this.#document.header(), this.#document.copyRows());
    } catch {
      // A browser that keeps nothing: the character opens from the server as ever.
      if (this.#keptHead === head) this.#keptHead = undefined;
    }
  }
}
