import { CoreError, invert, isEmpty, type Change } from '@judoka/core';
import type { CharacterSession } from './CharacterSession.ts';
import { NO_JOINTS } from './editContent.ts';

/** A change that is shown but not kept yet: old and new can be looked at in turn. */
export interface Proposal {
  readonly label: string;
  readonly change: Change;
  /** Whether the new weights are on the stage; else the old ones. */
  readonly shown: boolean;
}

/** What is on the stage before it is kept, one thing at a time. Nothing else may change weights meanwhile. */
export class Proposals {
  readonly #session: CharacterSession;
  current: Proposal | undefined;

  constructor(session: CharacterSession) {
    this.#session = session;
  }

  /** Shows a change before it is kept, instead of what was shown before. */
  async propose(label: string, change: Change): Promise<void> {
    await this.#session.strokeEnded();
    this.drop();
    if (isEmpty(change)) return;
    this.#session.applyContent({ change, joints: NO_JOINTS });
    this.#set({ label, change, shown: true });
  }

  /** Looks at the new weights, or at the old ones again. */
  show(shown: boolean): void {
    if (!this.current || this.current.shown === shown) return;
    const { change } = this.current;
    this.#session.applyContent({ change: shown ? change : invert(change), joints: NO_JOINTS });
    this.#set({ ...this.current, shown });
  }

  keep(): void {
    if (!this.current) return;
    this.show(true);
    const { label, change } = this.current;
    this.current = undefined;
    this.#session.log.commit('edit', label, { change, joints: NO_JOINTS });
    this.#set(undefined);
  }

  /** Drops what is only shown, weights by reach too. @returns whether there was something */
  drop(): boolean {
    if (this.#session.reaching.drop()) return true;
    if (!this.current) return false;
    this.show(false);
    this.#set(undefined);
    return true;
  }

  /** @throws CoreError while something is only shown */
  refuse(): void {
    if (this.#session.reaching.active)
      throw new CoreError('argument-invalid', 'Keep or drop the weights by reach first.');
    if (this.current) throw new CoreError('argument-invalid', `Keep or drop “${this.current.label}” first.`);
  }

  #set(proposal: Proposal | undefined): void {
    this.current = proposal;
    this.#session.topics.tell('proposal');
  }
}
