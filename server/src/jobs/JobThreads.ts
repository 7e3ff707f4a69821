import { MessageChannel } from 'node:worker_threads';
import type { AskedWork } from '@judoka/contract';
import { Piscina } from 'piscina';
import { threadFile } from '../files/threadFile.ts';
import { valueOf, type Outcome } from '../http/outcome.ts';
import { RequestError } from '../http/requestError.ts';
import type { WorkResult, WorkSubject } from './jobThread.ts';

/** Threads for what takes minutes: none stands in the way of a file that somebody waits for. */
export class JobThreads {
  readonly #threads = new Piscina({
    ...threadFile('jobThread'),
    minThreads: 0,
    maxThreads: 2,
    idleTimeout: 10_000,
    atomics: 'disabled',
    resourceLimits: { maxOldGenerationSizeMb: 4096 },
  });

  /**
   * @param tell how much is done, 0 to 1
   * @throws RequestError `stopped`, `file-too-large` where it takes more memory than there is, or what the work refused
   */
  async run(
    subject: WorkSubject,
    work: AskedWork,
    tell: (share: number) => void,
    signal: AbortSignal,
  ): Promise<WorkResult> {
    const { port1, port2 } = new MessageChannel();
    port1.on('message', tell);
    try {
      const done = this.#threads.run(
        { subject, work, port: port2 },
        { name: 'doWork', signal, transferList: [port2] },
      ) as Promise<Outcome<WorkResult>>;
      return valueOf(await done);
    } catch (error) {
      if (signal.aborted) throw new RequestError('stopped', 'It was stopped.');
      if ((error as { code?: unknown }).code === 'ERR_WORKER_OUT_OF_MEMORY')
        throw new RequestError('file-too-large', 'This takes more memory than there is for it.');
      throw error;
    } finally {
      port1.close();
    }
  }

  /**
   * What is wrong with a character as it is now, in sentences.
   * @throws RequestError what the work refused
   */
  async check(subject: WorkSubject): Promise<string[]> {
    return valueOf((await this.#threads.run(subject, { name: 'checkCharacter' })) as Outcome<string[]>);
  }

  async close(): Promise<void> {
    await this.#threads.destroy();
  }
}
