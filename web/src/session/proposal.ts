import { CoreError } from '@judoka/core/errors';
import { type Change, invert, isEmpty } from '@judoka/core/weights';
import type { CharacterSession } from './CharacterSession.ts';
import { NO_JOINTS } from './editContent.ts';

/** A change that is shown but not kept yet: old and new can be looked at in turn. */
export interface Proposal {
  readonly label: string;
  readonly change: Change;
  /** Whether the new weights are on the stage; else the old ones. */
  readonly shown: boolean;
}

/**
 * What is on the stage before it is kept, one thing at a time. Nothing else may change weights meanwhile. What is asked
 * here is done in the order in which it was asked: large changes take some turns.
 */
export class Proposals {
  readonly #session: CharacterSession;
  #working: Promise<unknown> = Promise.resolve();
  current: Proposal | undefined;

  constructor(session: CharacterSession) {
    this.#session = session;
  }

  /** Shows a change before it is kept, instead of what was shown before. */
  propose(label: string, change: Change): Promise<void> {
    return this.#inOrder(async () => {
      await this.#session.strokeEnded();
      await this.#drop();
      if (isEmpty(change)) return;
      await this.#session.applyInTurns({ change, joints: NO_JOINTS });
      this.#set({ label, change, shown: true });
    });
  }

  /** Looks at the new weights, or at the old ones again. */
  show(shown: boolean): Promise<void> {
    return this.#inOrder(() => this.#show(shown));
  }

  keep(): Promise<void> {
    return this.#inOrder(async () => {
      await this.#show(true);
      if (!this.current) return;
      const { label, change } = this.current;
      this.current = undefined;
      this.#session.log.commit('edit', label, { change, joints: NO_JOINTS });
      this.#set(undefined);
    });
  }

  /** Drops what is only shown, weights by reach too. @returns whether there was something */
  drop(): Promise<boolean> {
    return this.#inOrder(() => this.#drop());
  }

  /** @throws CoreError while something is only shown */
  refuse(): void {
    if (this.#session.reaching.active)
      throw new CoreError('argument-invalid', 'Keep or drop the weights by reach first.');
    if (this.current) throw new CoreError('argument-invalid', `Keep or drop “${this.current.label}” first.`);
  }

  async #show(shown: boolean): Promise<void> {
    if (!this.current || this.current.shown === shown) return;
    const { change } = this.current;
    await this.#session.applyInTurns({ change: shown ? change : invert(change), joints: NO_JOINTS });
    this.#set({ ...this.current, shown });
  }

  async #drop(): Promise<boolean> {
    if (this.#session.reaching.drop()) return true;
    if (!this.current) return false;
    await this.#show(false);
    this.#set(undefined);
    return true;
  }

  #inOrder<T>(work: () => Promise<T>): Promise<T> {
    const next = this.#working.then(work);
    this.#working = next.catch(() => undefined);
    return next;
  }

  #set(proposal: Proposal | undefined): void {
    this.current = proposal;
    this.#session.topics.tell('proposal');
  }
}
