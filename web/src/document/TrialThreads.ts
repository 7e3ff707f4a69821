import type { Character } from '@judoka/core/document';
import type { JointTrial } from '@judoka/core/analysis/bends';
import type { WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import { lookOf, type LookedAt } from './look.ts';
import type { TrialQuestion, TrialRunner } from './trial.worker.ts';
import type { OpenDocument } from './OpenDocument.ts';

const THREADS = 2;
/** A thread for short questions: it goes on when a run is stopped. */
const SHORT = THREADS;

type MeasuredDocument = LookedAt &
  Pick<OpenDocument, 'bound' | 'skeleton' | 'nonDeforming' | 'pairs' | 'copyRows' | 'events'>;

/**
 * Threads that measure bends, and one for short questions. They hold the character; stopping a run ends those that
 * measure, and they are begun anew when needed.
 */
export class TrialThreads {
  readonly #document: MeasuredDocument;
  readonly #threads: (Promise<Comlink.Remote<TrialRunner>> | undefined)[] = [];
  readonly #workers: (Worker | undefined)[] = [];
  #failed: ((error: Error) => void)[] = [];

  constructor(document: MeasuredDocument) {
    this.#document = document;
    // They hold the points where they were.
    document.events.subscribe('rest', () => {
      for (const fail of this.#failed) fail(new DOMException('Stopped.', 'AbortError'));
      this.close();
    });
  }

  /** The thread for short questions. */
  short(): Promise<Comlink.Remote<TrialRunner>> {
    return this.#thread(SHORT);
  }

  #thread(index: number): Promise<Comlink.Remote<TrialRunner>> {
    this.#threads[index] ??= this.#begin(index);
    return this.#threads[index];
  }

  async #begin(index: number): Promise<Comlink.Remote<TrialRunner>> {
    const worker = new Worker(new URL('./trial.worker.ts', import.meta.url), { type: 'module' });
    this.#workers[index] = worker;
    worker.addEventListener('error', (event) => {
      for (const fail of this.#failed) fail(new Error(event.message || 'Measuring stopped.'));
    });
    const runner = Comlink.wrap<TrialRunner>(worker);
    const character: Character = this.#document.character;
    await runner.begin(character);
    return runner;
  }

  /** What is asked, with copies of the weights as they are, or as given. */
  question(rows: readonly WeightRows[] = this.#document.copyRows()): TrialQuestion {
    const { bound, skeleton, settings, nonDeforming, pairs } = this.#document;
    return {
      rows,
      skeleton,
      parts: bound.character.parts.map(({ inverseBinds, role }) => ({ inverseBinds, role })),
      look: lookOf(this.#document),
      nonDeforming: [...nonDeforming],
      limits: settings.ranges,
      pairs,
    };
  }

  /**
   * Shares a run between all threads, and puts their answers together.
   * @throws DOMException `AbortError` when stopped
   */
  async share(
    run: (
      runner: Comlink.Remote<TrialRunner>,
      index: number,
      of: number,
      tell: (share: number) => void,
    ) => Promise<JointTrial[]>,
    tell: (share: number) => void,
    signal: AbortSignal,
  ): Promise<JointTrial[]> {
    const shares = new Array<number>(THREADS).fill(0);
    const stopped = new Promise<never>((_, reject) => {
      this.#failed = [reject];
      signal.addEventListener('abort', () => reject(new DOMException('Stopped.', 'AbortError')), {
        once: true,
      });
    });
    let ended = false;
    const report = (index: number) => (share: number) => {
      if (ended) return;
      shares[index] = share;
      tell(shares.reduce((sum, x) => sum + x, 0) / THREADS);
    };
    try {
      const all = shares.map(async (_, index) =>
        run(await this.#thread(index), index, THREADS, Comlink.proxy(report(index))),
      );
      return (await Promise.race([Promise.all(all), stopped])).flat();
    } catch (error) {
      for (let index = 0; index < THREADS; index++) this.#end(index);
      throw error;
    } finally {
      ended = true;
    }
  }

  close(): void {
    for (let index = 0; index <= SHORT; index++) this.#end(index);
  }

  #end(index: number): void {
    this.#workers[index]?.terminate();
    this.#workers[index] = undefined;
    this.#threads[index] = undefined;
  }
}
