import { messageOf } from '@judoka/core/errors';

/** Weights at rest for this long are looked at. */
const SETTLED_MS = 300;

/** Something that is looked for in a thread whenever the weights have changed and rested. */
export class RestedLook<Found> {
  readonly #ask: () => Promise<Found>;
  readonly #changed: () => void;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #asked = 0;
  /** As last found; undefined before, and after it was forgotten. */
  found: Found | undefined;
  /** Whether weights have changed since. */
  isStale = false;
  isLooking = false;
  /** Why the last look ended early, in a sentence. */
  failure = '';

  /** @param changed called when any of this has */
  constructor(ask: () => Promise<Found>, changed: () => void) {
    this.#ask = ask;
    this.#changed = changed;
    this.lookSoon();
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#asked = Infinity;
  }

  lookSoon(): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => void this.find(), SETTLED_MS);
  }

  /** Looks now. What was overtaken by another look is dropped. */
  async find(): Promise<void> {
    clearTimeout(this.#timer);
    const turn = ++this.#asked;
    this.isLooking = true;
    this.#changed();
    try {
      const found = await this.#ask();
      if (turn !== this.#asked) return;
      this.found = found;
      this.isStale = false;
      this.failure = '';
    } catch (error) {
      if (turn === this.#asked) this.failure = messageOf(error);
    } finally {
      if (turn === this.#asked) {
        this.isLooking = false;
        this.#changed();
      }
    }
  }
}
