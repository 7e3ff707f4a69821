import type { CharacterCard } from '@judoka/contract';
import type { Database } from '../database.ts';
import type { DocumentThreads } from '../documents/DocumentThreads.ts';
import { JobThreads } from '../jobs/JobThreads.ts';
import { subjectOf } from '../jobs/workSubject.ts';
import { findHeadNumber, saveCheck } from './characters.queries.ts';

/** So many characters are looked over at a time. */
const AT_ONCE = 1;

/**
 * Looks characters over whose cards are older than their documents: when somebody looks at the shelf, and never while that
 * person waits.
 */
export class CardChecks {
  readonly #database: Database;
  readonly #documents: DocumentThreads;
  readonly #threads = new JobThreads();
  /** Characters that wait or are looked over, with the account that may see them. */
  readonly #waiting = new Map<string, string>();
  /** By character, the head at which it could not be looked over: it is not tried again before it changes. */
  readonly #failed = new Map<string, number>();
  #running = 0;
  #isClosing = false;

  constructor(database: Database, documents: DocumentThreads) {
    this.#database = database;
    this.#documents = documents;
  }

  async close(): Promise<void> {
    this.#isClosing = true;
    this.#waiting.clear();
    await this.#threads.close();
  }

  /** Has those looked over that need it. */
  want(account: string, cards: readonly CharacterCard[]): void {
    for (const { id, isChecked } of cards)
      if (!isChecked && !this.#waiting.has(id)) this.#waiting.set(id, account);
    this.#next();
  }

  #next(): void {
    if (this.#running >= AT_ONCE || this.#isClosing) return;
    const next = this.#waiting.entries().next();
    if (next.done) return;
    const [character, account] = next.value;
    this.#running++;
    void this.#check(account, character).finally(() => {
      this.#waiting.delete(character);
      this.#running--;
      this.#next();
    });
  }

  async #check(account: string, character: string): Promise<void> {
    try {
      const head = await findHeadNumber(this.#database, character);
      if (head === undefined || this.#failed.get(character) === head) return;
      try {
        const subject = await subjectOf(this.#database, this.#documents, account, character);
        await saveCheck(this.#database, character, head, await this.#threads.check(subject));
        this.#failed.delete(character);
      } catch (error) {
        this.#failed.set(character, head);
        throw error;
      }
    } catch (error) {
      if (!this.#isClosing) console.error(`A card could not be brought up to date: ${String(error)}`);
    }
  }
}
