import type { Head } from './heads.queries.ts';
import type { LoadedDocument } from './loadDocument.ts';

/** Memory for documents that were last worked on, a thread. */
const MAX_BYTES = 512 * 2 ** 20;

/** Documents last worked on, so that an edit need not read everything anew; as many as memory has room for. */
export class DocumentCache {
  readonly #documents = new Map<string, LoadedDocument>();
  readonly #maxBytes: number;
  #bytes = 0;

  constructor(maxBytes = MAX_BYTES) {
    this.#maxBytes = maxBytes;
  }

  /**
   * Takes a document out, if it is held at this head of this epoch of the place. Whoever takes it may change it, and puts it back once that is
   * known to be committed; one that is not put back is simply forgotten.
   */
  take(character: string, { head, epoch }: Pick<Head, 'head' | 'epoch'>): LoadedDocument | undefined {
    const held = this.#forget(character);
    return held?.head === head && held.epoch === epoch ? held : undefined;
  }

  put(character: string, document: LoadedDocument): void {
    this.#forget(character);
    this.#documents.set(character, document);
    this.#bytes += bytesOf(document);
    // Maps keep the order in which things came: the first is what was not asked for the longest.
    for (const oldest of this.#documents.keys()) {
      if (this.#bytes <= this.#maxBytes) return;
      this.#forget(oldest);
    }
  }

  #forget(character: string): LoadedDocument | undefined {
    const held = this.#documents.get(character);
    if (!held) return undefined;
    this.#documents.delete(character);
    this.#bytes -= bytesOf(held);
    return held;
  }
}

const bytesOf = ({ state }: LoadedDocument): number =>
  state.rows.reduce((sum, { joints, values }) => sum + joints.byteLength + values.byteLength, 1 << 16);
