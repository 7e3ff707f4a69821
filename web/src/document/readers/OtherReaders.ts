import { headEvent, placeEvent, presentAnswer, type PlaceEvent, type PresentPerson } from '@judoka/contract';

/** What is heard of a character. */
export interface ReaderHost {
  readonly onHead: (head: number) => void;
  readonly onPeople?: (people: readonly PresentPerson[]) => void;
  readonly onComments?: () => void;
  readonly onPlace?: (place: PlaceEvent) => void;
}

/** A character's head as it came to one place, for the other tabs of this browser. */
interface HeadMessage {
  readonly character: string;
  readonly head: number;
}

/**
 * Hears of edits made elsewhere: in other tabs of this browser at once, by other people through the server. A tab that
 * nobody looks at lets the server be, and asks once when it is looked at again.
 */
export class OtherReaders {
  readonly #character: string;
  readonly #host: ReaderHost;
  readonly #channel = typeof BroadcastChannel === 'undefined' ? undefined : new BroadcastChannel('judoka');
  #stream: EventSource | undefined;

  constructor(character: string, host: ReaderHost) {
    this.#character = character;
    this.#host = host;
    this.#channel?.addEventListener('message', this.#onMessage);
    if (typeof document === 'undefined' || typeof EventSource === 'undefined') return;
    document.addEventListener('visibilitychange', this.#watch);
    this.#watch();
  }

  /** Tells the other tabs of a head that this one has brought about. */
  tell(head: number): void {
    const message: HeadMessage = { character: this.#character, head };
    this.#channel?.postMessage(message);
  }

  close(): void {
    this.#channel?.close();
    this.#stream?.close();
    if (typeof document !== 'undefined') document.removeEventListener('visibilitychange', this.#watch);
  }

  readonly #onMessage = ({ data }: MessageEvent<HeadMessage>): void => {
    if (data.character === this.#character) this.#host.onHead(data.head);
  };

  /** The browser connects anew by itself, and the server then begins with the head as it is. */
  readonly #watch = (): void => {
    if (document.visibilityState === 'hidden') {
      this.#stream?.close();
      this.#stream = undefined;
      return;
    }
    if (this.#stream) return;
    this.#stream = new EventSource(`/api/characters/${this.#character}/events`);
    this.#stream.addEventListener('message', ({ data }: MessageEvent<string>) => {
      const read = headEvent.safeParse(JSON.parse(data));
      if (read.success) this.#host.onHead(read.data.head);
    });
    this.#stream.addEventListener('people', ({ data }: MessageEvent<string>) => {
      const read = presentAnswer.safeParse(JSON.parse(data));
      if (read.success) this.#host.onPeople?.(read.data.people);
    });
    this.#stream.addEventListener('place', ({ data }: MessageEvent<string>) => {
      const read = placeEvent.safeParse(JSON.parse(data));
      if (read.success) this.#host.onPlace?.(read.data);
    });
    this.#stream.addEventListener('comments', () => this.#host.onComments?.());
  };
}
