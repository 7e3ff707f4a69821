import { createCharacter } from '../characters/createCharacter.ts';
import { transaction, type Database } from '../database.ts';
import type { DocumentThreads } from '../documents/DocumentThreads.ts';
import type { FileThreads } from '../files/FileThreads.ts';
import { describeError } from '../http/answerErrors.ts';
import { RequestError } from '../http/requestError.ts';
import { notifyNews } from '../live/presence.queries.ts';
import {
  claimJob,
  dropOldJobs,
  failJob,
  finishJob,
  isTriedOut,
  listAbandoned,
  readImport,
  stillWorking,
  type ClaimedJob,
  type Finished,
} from './jobs.queries.ts';
import { queueOf, type JobQueue } from './JobQueue.ts';
import { JobThreads } from './JobThreads.ts';
import { subjectOf } from './workSubject.ts';

const STILL_MS = 1500;
const LOOK_MS = 5000;

/** What one piece of work is given while it lasts. */
interface Doing {
  readonly signal: AbortSignal;
  readonly tell: (share: number) => void;
}

/** Does heavy work: any number of these work side by side, in servers and in processes of their own. */
export class JobWorker {
  readonly #database: Database;
  readonly #files: FileThreads;
  readonly #documents: DocumentThreads;
  readonly #queue: JobQueue;
  readonly #threads = new JobThreads();
  /** What is cut off now goes on elsewhere, or at the next start. */
  #isClosing = false;
  #looking: ReturnType<typeof setInterval> | undefined;

  constructor(database: Database, files: FileThreads, documents: DocumentThreads, queue: JobQueue) {
    this.#database = database;
    this.#files = files;
    this.#documents = documents;
    this.#queue = queue;
  }

  /** @param count imports at a time, and half as much other work; with none, others' work is still looked after */
  async start(count: number): Promise<void> {
    await this.#queue.work('imports', count, (id) => this.#take(id));
    await this.#queue.work('work', Math.ceil(count / 2), (id) => this.#take(id));
    this.#looking = setInterval(() => void this.#lookAfter(), LOOK_MS);
  }

  async close(): Promise<void> {
    this.#isClosing = true;
    clearInterval(this.#looking);
    await this.#threads.close();
  }

  /** What a worker left that was killed goes on elsewhere. */
  async #lookAfter(): Promise<void> {
    try {
      for (const { id, kind } of await listAbandoned(this.#database))
        await this.#queue.put(queueOf(kind), id);
      await dropOldJobs(this.#database);
    } catch {
      // The database is away; it is looked again.
    }
  }

  async #take(id: string): Promise<void> {
    const job = await claimJob(this.#database, id);
    if (!job) return;
    await notifyNews(this.#database, id, 'job');
    const stop = new AbortController();
    let share = 0;
    const still = setInterval(() => {
      stillWorking(this.#database, id, share).then(
        (isWanted) => isWanted || stop.abort(),
        () => undefined,
      );
    }, STILL_MS);
    try {
      if (isTriedOut(job))
        throw new RequestError(
          'file-invalid',
          'This work has stopped its worker several times; it is not tried again.',
        );
      await this.#do(id, job, { signal: stop.signal, tell: (done) => (share = done) });
    } catch (error) {
      const answer = describeError(error);
      // Whoever stopped it has said so; and where it was taken for abandoned, somebody else is at it.
      if (answer.error.code === 'stopped' || this.#isClosing) return;
      // The database may be away: then it is abandoned, and goes on when it is back.
      if (answer.error.code === 'database-away') throw error;
      if (answer.error.code === 'server-failed') console.error('A job failed:', error);
      await transaction(this.#database, (db) => failJob(db, id, answer));
    } finally {
      clearInterval(still);
      await notifyNews(this.#database, id, 'job').catch(() => undefined);
    }
  }

  async #do(id: string, job: ClaimedJob, doing: Doing): Promise<void> {
    const finish = async (finished?: Finished, db = this.#database as Parameters<typeof finishJob>[0]) => {
      if (!(await finishJob(db, id, finished))) throw new RequestError('stopped', 'It was stopped.');
    };
    const { work, character } = job;
    if (work.kind !== 'import') {
      const subject = await subjectOf(this.#database, this.#documents, job.account, character ?? '');
      const { bytes, words, figures } = await this.#threads.run(subject, work, doing.tell, doing.signal);
      await finish({ words, result: bytes, figures });
      return;
    }
    const bytes = await readImport(this.#database, id);
    await createCharacter(this.#database, this.#files, job.shelf, job.name, bytes, {
      id,
      signal: doing.signal,
      add: (db) => finish(undefined, db),
    });
  }
}
