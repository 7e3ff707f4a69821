import type { EditsAnswer, HistoryLine, LogQuery, TouchedLine } from '@judoka/contract';
import { Piscina } from 'piscina';
import { valueOf, type Outcome } from '../http/outcome.ts';
import { threadFile } from '../files/threadFile.ts';
import type { Question, Snapshot } from './documentThread.ts';

const THREADS = 2;

/**
 * The threads that documents are worked on in. A character always goes to the same one, which holds its document ready.
 */
export class DocumentThreads {
  readonly #threads: readonly Piscina[];

  constructor(databaseUrl: string) {
    this.#threads = Array.from(
      { length: THREADS },
      () =>
        new Piscina({
          ...threadFile('documentThread'),
          minThreads: 0,
          maxThreads: 1,
          concurrentTasksPerWorker: 8,
          idleTimeout: 60_000,
          workerData: { databaseUrl },
          atomics: 'disabled',
          resourceLimits: { maxOldGenerationSizeMb: 4096 },
        }),
    );
  }

  append(question: Question & { readonly bytes: Uint8Array }): Promise<EditsAnswer> {
    return this.#run('append', question);
  }

  open(question: Question): Promise<Uint8Array> {
    return this.#run('open', question);
  }

  later(question: Question & { readonly after: number }): Promise<Uint8Array> {
    return this.#run('later', question);
  }

  content(question: Question & { readonly edit: string }): Promise<Uint8Array> {
    return this.#run('content', question);
  }

  snapshot(question: Question): Promise<Snapshot> {
    return this.#run('snapshot', question);
  }

  log(question: Question & { readonly query: LogQuery }): Promise<{ lines: HistoryLine[]; more: boolean }> {
    return this.#run('log', question);
  }

  touching(
    question: Question & { readonly bytes: Uint8Array; readonly limit: number },
  ): Promise<{ lines: TouchedLine[]; more: boolean }> {
    return this.#run('touching', question);
  }

  moment(question: Question & { readonly moment: number | string }): Promise<Uint8Array> {
    return this.#run('moment', question);
  }

  async close(): Promise<void> {
    await Promise.all(this.#threads.map((thread) => thread.destroy()));
  }

  async #run<T>(name: string, question: Question): Promise<T> {
    const thread = this.#threads[parseInt(question.character.slice(0, 8), 16) % THREADS];
    return valueOf((await thread.run(question, { name })) as Outcome<T>);
  }
}
