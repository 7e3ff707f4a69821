import { monitorEventLoopDelay } from 'node:perf_hooks';
import express, { type RequestHandler, type Router } from 'express';
import type { Database } from '../database.ts';
import { findBackups } from './place.queries.ts';

/** Upper edges of the histogram of answering times, in seconds. */
const EDGES = [0.01, 0.025, 0.05, 0.1, 0.15, 0.3, 0.6, 1.2, 5];
/** How long the database may take to say that it is there. */
const PATIENCE_MS = 2000;

/** Counts what is asked, by kind and outcome, and how long answers take. */
export class Metrics {
  readonly #counts = new Map<string, number>();
  readonly #buckets = new Array<number>(EDGES.length + 1).fill(0);
  #seconds = 0;
  readonly #delay = monitorEventLoopDelay({ resolution: 10 });

  constructor() {
    this.#delay.enable();
  }

  readonly watch: RequestHandler = (request, response, next) => {
    const began = performance.now();
    response.on('finish', () => {
      const key = `method="${request.method}",status="${Math.floor(response.statusCode / 100)}xx"`;
      this.#counts.set(key, (this.#counts.get(key) ?? 0) + 1);
      const seconds = (performance.now() - began) / 1000;
      // Streams last as long as somebody listens; they say nothing of how fast answers are.
      if (response.getHeader('content-type') === 'text/event-stream') return;
      const at = EDGES.findIndex((edge) => seconds <= edge);
      this.#buckets[at < 0 ? EDGES.length : at]++;
      this.#seconds += seconds;
    });
    next();
  };

  /** The counts in the text format of OpenMetrics. */
  text(): string[] {
    const memory = process.memoryUsage();
    let sum = 0;
    const lines = this.#buckets.map((count, i) => {
      sum += count;
      return `judoka_answer_seconds_bucket{le="${i < EDGES.length ? EDGES[i] : '+Inf'}"} ${sum}`;
    });
    return [
      '# TYPE judoka_requests counter',
      ...[...this.#counts].map(([key, count]) => `judoka_requests_total{${key}} ${count}`),
      '# TYPE judoka_answer_seconds histogram',
      ...lines,
      `judoka_answer_seconds_count ${sum}`,
      `judoka_answer_seconds_sum ${this.#seconds}`,
      '# TYPE judoka_memory_bytes gauge',
      `judoka_memory_bytes{kind="resident"} ${memory.rss}`,
      `judoka_memory_bytes{kind="heap"} ${memory.heapUsed}`,
      '# TYPE judoka_main_thread_delay_seconds gauge',
      `judoka_main_thread_delay_seconds{quantile="0.99"} ${this.#delay.percentile(99) / 1e9}`,
      `judoka_main_thread_delay_seconds{quantile="1"} ${this.#delay.max / 1e9}`,
    ];
  }
}

/** For whoever watches over a place: whether it works, and its figures. Nothing of anybody's work is in them. */
export function healthRoutes(database: Database, metrics: Metrics, mayWatch: RequestHandler): Router {
  const routes = express.Router();

  routes.get('/health', async (_request, response) => {
    const there = await isThere(database);
    response
      .status(there ? 200 : 503)
      .set('Cache-Control', 'no-store')
      .json({ server: 'up', database: there ? 'up' : 'away' });
  });

  routes.get('/metrics', mayWatch, async (_request, response) => {
    const lines = [...metrics.text(), ...(await placeLines(database).catch(() => []))];
    response
      .type('application/openmetrics-text; version=1.0.0; charset=utf-8')
      .set('Cache-Control', 'no-store')
      .send(`${[...lines, '# EOF'].join('\n')}\n`);
  });
  return routes;
}

/** For people: how the place is kept. */
export function placeRoutes(database: Database): Router {
  const routes = express.Router();
  routes.get('/place', async (_request, response) => {
    response.json(await findBackups(database));
  });
  return routes;
}

async function isThere(database: Database): Promise<boolean> {
  const late = new Promise<false>((resolve) => setTimeout(() => resolve(false), PATIENCE_MS).unref());
  return Promise.race([
    database.query('select 1').then(
      () => true,
      () => false,
    ),
    late,
  ]);
}

async function placeLines(database: Database): Promise<string[]> {
  const { rows } = await database.query<{ state: string; n: number }>(
    `select state, count(*)::int as n from jobs where state in ('waiting', 'working') group by state`,
  );
  const of = (state: string): number => rows.find((row) => row.state === state)?.n ?? 0;
  const size = await database.query<{ n: number }>(
    'select pg_database_size(current_database())::float8 as n',
  );
  const { backedUpAt, failedAt } = await findBackups(database);
  return [
    '# TYPE judoka_backup_age_seconds gauge',
    ...(backedUpAt ? [`judoka_backup_age_seconds ${(Date.now() - Date.parse(backedUpAt)) / 1000}`] : []),
    '# TYPE judoka_backup_fails gauge',
    `judoka_backup_fails ${failedAt ? 1 : 0}`,
    '# TYPE judoka_jobs gauge',
    `judoka_jobs{state="waiting"} ${of('waiting')}`,
    `judoka_jobs{state="working"} ${of('working')}`,
    '# TYPE judoka_connections gauge',
    `judoka_connections{state="idle"} ${database.idleCount}`,
    `judoka_connections{state="all"} ${database.totalCount}`,
    `judoka_connections{state="waited_for"} ${database.waitingCount}`,
    '# TYPE judoka_database_bytes gauge',
    `judoka_database_bytes ${size.rows[0].n}`,
  ];
}
