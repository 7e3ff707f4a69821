import { Events } from '../../document/events.ts';
import type { Editing } from '../../scene/Editing.ts';
import { type CageWish, makeCageAbout } from './cages.ts';

/** The cage that is being made: it goes on while a person looks elsewhere. */
export class CageMaking {
  readonly events = new Events<'changed'>();
  readonly #at: Editing;
  #stop: AbortController | undefined;

  constructor(at: Editing) {
    this.#at = at;
  }

  get isBusy(): boolean {
    return this.#stop !== undefined;
  }

  /** @throws CoreError with why it cannot be made */
  async make(wish: CageWish): Promise<void> {
    if (this.#stop) return;
    const stop = new AbortController();
    this.#stop = stop;
    this.events.publish('changed');
    try {
      await makeCageAbout(this.#at, wish, stop.signal);
    } catch (error) {
      if (!stop.signal.aborted) throw error;
    } finally {
      this.#stop = undefined;
      this.events.publish('changed');
    }
  }

  stop(): void {
    this.#stop?.abort();
  }
}
