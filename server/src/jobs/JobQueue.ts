import PgBoss from 'pg-boss';
import pg from 'pg';
import type { Job } from '@judoka/contract';
import type { Database } from '../database.ts';

/** Somebody waits for an import; what is asked of many characters is a row of its own, so that neither stands behind the other. */
const QUEUES = ['imports', 'work'] as const;
export type QueueName = (typeof QUEUES)[number];
export const queueOf = (kind: Job['kind']): QueueName => (kind === 'import' ? 'imports' : 'work');
const CHANNEL = 'judoka_jobs';
/** Should a word get lost, work is found by looking. */
const POLL_S = 5;
const RETRY_MS = 2000;
const EXPIRE_S = { imports: 900, work: 4 * 3600 } as const;

/** The queue of heavy work, in PostgreSQL: put in by any server, taken out by any worker, at once when there is one. */
export class JobQueue {
  readonly #url: string;
  readonly #database: Database;
  readonly #boss: PgBoss;
  #listener: pg.Client | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  readonly #workers: string[] = [];
  #isClosed = false;

  constructor(url: string, database: Database) {
    this.#url = url;
    this.#database = database;
    this.#boss = new PgBoss({ connectionString: url, max: 3, application_name: 'judoka jobs' });
    this.#boss.on('error', (error) => console.error(`The queue of jobs: ${error.message}`));
  }

  async open(): Promise<void> {
    await this.#boss.start();
    // What is put in again while it waits stands there once.
    for (const name of QUEUES) await this.#boss.createQueue(name, { name, policy: 'short' });
  }

  async put(name: QueueName, id: string): Promise<void> {
    await this.#boss.send(name, { id }, { singletonKey: id, retryLimit: 2, expireInSeconds: EXPIRE_S[name] });
    await this.#database.query('select pg_notify($1, $2)', [CHANNEL, id]);
  }

  /** Takes jobs out, so many at a time. */
  async work(name: QueueName, count: number, take: (id: string) => Promise<void>): Promise<void> {
    for (let worker = 0; worker < count; worker++) {
      const id: string = await this.#boss.work<{ id: string }>(
        name,
        { pollingIntervalSeconds: POLL_S, batchSize: 1 },
        async ([{ data }]) => {
          await take(data.id);
          // There may be more: it looks again at once rather than after its pause.
          this.#boss.notifyWorker(id);
        },
      );
      this.#workers.push(id);
    }
    if (count > 0 && !this.#listener) await this.#listen();
  }

  async close(): Promise<void> {
    this.#isClosed = true;
    clearTimeout(this.#timer);
    await this.#listener?.end().catch(() => undefined);
    await this.#boss.stop({ graceful: true, wait: true, timeout: 3000 });
  }

  /** Wakes the workers when something is put in, wherever that is. */
  async #listen(): Promise<void> {
    const client = new pg.Client({ connectionString: this.#url });
    this.#listener = client;
    const again = (): void => {
      client.removeAllListeners();
      client.on('error', () => undefined);
      client.end().catch(() => undefined);
      clearTimeout(this.#timer);
      if (!this.#isClosed) this.#timer = setTimeout(() => void this.#listen(), RETRY_MS);
    };
    client.on('error', again);
    client.on('end', again);
    client.on('notification', () => {
      for (const worker of this.#workers) this.#boss.notifyWorker(worker);
    });
    try {
      await client.connect();
      await client.query(`listen ${CHANNEL}`);
    } catch {
      again();
    }
  }
}
