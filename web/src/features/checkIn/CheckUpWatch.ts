import type { DeliveryProfile, Finding } from '@judoka/core/document';
import * as Comlink from 'comlink';
import { Events } from '../../document/events.ts';
import type { OpenDocument } from '../../document/OpenDocument.ts';
import { keepProfile, keptProfile } from '../../settings/keptProfile.ts';
import { RowCopies } from '../../document/rowCopies.ts';
import type { Checker, CheckQuestion, Repaired } from './check.worker.ts';
import { messageOf } from '@judoka/core/errors';

/** Weights at rest for this long are looked over. */
const SETTLED_MS = 400;

type CheckedDocument = Pick<
  OpenDocument,
  'id' | 'bound' | 'rowsOfPart' | 'nonDeforming' | 'locks' | 'events' | 'partName'
>;

/**
 * Keeps the check-up current, in a thread of its own: anew whenever weights, profile or deforming have changed and then
 * rested a moment. A check that was overtaken is dropped.
 */
export class CheckUpWatch {
  readonly #document: CheckedDocument;
  readonly events = new Events<'changed'>();
  readonly #copies = new RowCopies();
  #worker: Worker | undefined;
  #checker: Promise<Comlink.Remote<Checker>> | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #asked = 0;
  #skeletonStale = false;
  #profile: DeliveryProfile;
  /** Worst first; undefined until the first check has ended. */
  findings: readonly Finding[] | undefined;
  /** Why there is no check-up, in a sentence. */
  failure = '';

  constructor(document: CheckedDocument) {
    this.#document = document;
    this.#profile = keptProfile(document.id);
    document.events.subscribe('weights', () => this.#changed());
    document.events.subscribe('values', () => this.#changed());
    document.events.subscribe('rest', () => {
      this.#worker?.terminate();
      this.#worker = this.#checker = undefined;
    });
    document.events.subscribe('joints', () => {
      this.#skeletonStale = true;
      this.#changed();
    });
    this.#changed();
  }

  get profile(): DeliveryProfile {
    return this.#profile;
  }

  setProfile(profile: DeliveryProfile): void {
    this.#profile = profile;
    keepProfile(this.#document.id, profile);
    this.#changed(0);
  }

  #changed(after = SETTLED_MS): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => void this.#check(), after);
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#worker?.terminate();
    this.#asked = Infinity;
  }

  /** The change that repairs findings, for the rows as they are now. */
  async repair(findings: readonly Finding[]): Promise<Repaired> {
    const checker = await this.#start();
    const wanted = findings.map(({ code, part }) => ({ code, part }));
    return checker.repair(this.#question(), wanted, this.#document.locks.slice());
  }

  #question(): CheckQuestion {
    const { rows, buffers } = this.#copies.of(this.#document.rowsOfPart());
    // Handed over: the copies are nobody else's.
    return Comlink.transfer(
      {
        rows,
        profile: this.#profile,
        nonDeforming: [...this.#document.nonDeforming],
        partNames: rows.map((_, part) => this.#document.partName(part)),
      },
      buffers,
    );
  }

  async #check(): Promise<void> {
    const turn = ++this.#asked;
    try {
      const checker = await this.#start();
      const { findings, rows } = await checker.check(this.#question());
      this.#copies.giveBack(rows);
      if (turn !== this.#asked) return;
      this.findings = findings;
      this.failure = '';
    } catch (error) {
      this.failure = `The check-up stopped. ${messageOf(error)}`;
    }
    this.events.publish('changed');
  }

  async #start(): Promise<Comlink.Remote<Checker>> {
    const checker = await this.#begin();
    if (!this.#skeletonStale) return checker;
    this.#skeletonStale = false;
    const { skeleton, parts } = this.#document.bound.character;
    await checker.setSkeleton(
      skeleton,
      parts.map(({ inverseBinds, role }) => ({ inverseBinds, role })),
    );
    return checker;
  }

  #begin(): Promise<Comlink.Remote<Checker>> {
    this.#checker ??= (async () => {
      this.#worker = new Worker(new URL('./check.worker.ts', import.meta.url), { type: 'module' });
      const checker = Comlink.wrap<Checker>(this.#worker);
      await checker.begin(this.#document.bound.character);
      return checker;
    })();
    return this.#checker;
  }
}
