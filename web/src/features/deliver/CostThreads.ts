import * as Comlink from 'comlink';
import type { CostSubject, CostWorker } from './cost.worker.ts';

const THREADS = 2;

/** Threads that find out what limits cost. Stopping ends them; they are begun anew when needed. */
export class CostThreads {
  readonly #subject: () => CostSubject;
  #workers: Worker[] = [];
  #runners: Promise<Comlink.Remote<CostWorker>>[] = [];
  #fail: (error: Error) => void = () => undefined;

  constructor(subject: () => CostSubject) {
    this.#subject = subject;
  }

  /** Runs work on all threads, with the character as it is when they begin. */
  all<T>(
    work: (runner: Comlink.Remote<CostWorker>, index: number, of: number) => Promise<T>,
    signal: AbortSignal,
  ): Promise<T[]> {
    return this.#orStopped(
      Promise.all(
        Array.from({ length: THREADS }, async (_, index) => work(await this.#runner(index), index, THREADS)),
      ),
      signal,
    );
  }

  one<T>(work: (runner: Comlink.Remote<CostWorker>) => Promise<T>, signal: AbortSignal): Promise<T> {
    return this.#orStopped(
      this.#runner(0).then((runner) => work(runner)),
      signal,
    );
  }

  /** Whatever they hold is out of date. */
  forget(): void {
    for (const worker of this.#workers) worker.terminate();
    this.#workers = [];
    this.#runners = [];
  }

  #runner(index: number): Promise<Comlink.Remote<CostWorker>> {
    this.#runners[index] ??= this.#begin(index);
    return this.#runners[index];
  }

  async #begin(index: number): Promise<Comlink.Remote<CostWorker>> {
    const worker = new Worker(new URL('./cost.worker.ts', import.meta.url), { type: 'module' });
    this.#workers[index] = worker;
    worker.addEventListener('error', (event) => this.#fail(new Error(event.message || 'Measuring stopped.')));
    const runner = Comlink.wrap<CostWorker>(worker);
    await runner.begin(this.#subject());
    return runner;
  }

  async #orStopped<T>(work: Promise<T>, signal: AbortSignal): Promise<T> {
    const stopped = new Promise<never>((_, reject) => {
      this.#fail = reject;
      signal.addEventListener('abort', () => reject(new DOMException('Stopped.', 'AbortError')), {
        once: true,
      });
    });
    try {
      return await Promise.race([work, stopped]);
    } catch (error) {
      this.forget();
      throw error;
    }
  }
}
