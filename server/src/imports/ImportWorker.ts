import { createCharacter } from '../characters/createCharacter.ts';
import { transaction, type Database } from '../database.ts';
import { describeError } from '../http/answerErrors.ts';
import { RequestError } from '../http/requestError.ts';
import type { FileJobs } from '../jobs/FileJobs.ts';
import { notifyNews } from '../live/presence.queries.ts';
import {
  claimImport,
  dropOldImports,
  failImport,
  finishImport,
  isTriedOut,
  listAbandoned,
  readImport,
  stillReading,
} from './imports.queries.ts';
import type { JobQueue } from './JobQueue.ts';

const STILL_MS = 1500;
const LOOK_MS = 5000;

/** Does imports: any number of these work side by side, in servers and in processes of their own. */
export class ImportWorker {
  readonly #database: Database;
  readonly #jobs: FileJobs;
  readonly #queue: JobQueue;
  /** What is cut off now goes on elsewhere, or at the next start. */
  #isClosing = false;
  #looking: ReturnType<typeof setInterval> | undefined;

  constructor(database: Database, jobs: FileJobs, queue: JobQueue) {
    this.#database = database;
    this.#jobs = jobs;
    this.#queue = queue;
  }

  /** @param count imports at a time; with none, others' work is still looked after */
  async start(count: number): Promise<void> {
    await this.#queue.work(count, (id) => this.#take(id));
    this.#looking = setInterval(() => void this.#lookAfter(), LOOK_MS);
  }

  close(): void {
    this.#isClosing = true;
    clearInterval(this.#looking);
  }

  /** What a worker left that was killed goes on elsewhere. */
  async #lookAfter(): Promise<void> {
    try {
      for (const id of await listAbandoned(this.#database)) await this.#queue.put(id);
      await dropOldImports(this.#database);
    } catch {
      // The database is away; it is looked again.
    }
  }

  async #take(id: string): Promise<void> {
    const work = await claimImport(this.#database, id);
    if (!work) return;
    await notifyNews(this.#database, id, 'job');
    const stop = new AbortController();
    const still = setInterval(() => {
      stillReading(this.#database, id).then(
        (isWanted) => isWanted || stop.abort(),
        () => undefined,
      );
    }, STILL_MS);
    try {
      if (isTriedOut(work))
        throw new RequestError(
          'file-invalid',
          'Reading this file has stopped its worker several times; it is not tried again.',
        );
      const bytes = await readImport(this.#database, id);
      await createCharacter(this.#database, this.#jobs, work.shelf, work.name, bytes, {
        id,
        signal: stop.signal,
        add: async (db) => {
          if (!(await finishImport(db, id))) throw new RequestError('stopped', 'It was stopped.');
        },
      });
    } catch (error) {
      const answer = describeError(error);
      // Whoever stopped it has said so; and where it was taken for abandoned, somebody else is at it.
      if (answer.error.code === 'stopped' || this.#isClosing) return;
      // The database may be away: then it is abandoned, and goes on when it is back.
      if (answer.error.code === 'database-away') throw error;
      if (answer.error.code === 'server-failed') console.error('An import failed:', error);
      await transaction(this.#database, (db) => failImport(db, id, answer));
    } finally {
      clearInterval(still);
      await notifyNews(this.#database, id, 'job').catch(() => undefined);
    }
  }
}
