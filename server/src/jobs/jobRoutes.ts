import {
  askedBatch,
  batchParam,
  characterCard,
  jobAnswer,
  jobParam,
  jobsAnswer,
  uploadQuery,
  type Job,
} from '@judoka/contract';
import express, { type Response, type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import { findCard } from '../characters/characters.queries.ts';
import { transaction, type Database } from '../database.ts';
import { found, sendBytes } from '../http/bodies.ts';
import { asked, RequestError } from '../http/requestError.ts';
import type { LiveEvents } from '../live/LiveEvents.ts';
import { findShelfToFill } from '../people/shelves.queries.ts';
import {
  findFailure,
  findJob,
  findResult,
  insertBatch,
  listJobs,
  stopBatch,
  stopJob,
} from './jobs.queries.ts';
import type { JobQueue } from './JobQueue.ts';
import { receiveFile } from './receiveFile.ts';

/** Should its news get lost, a job is looked at so often. */
const LOOK_MS = 1000;
const OVER: readonly Job['state'][] = ['done', 'failed', 'stopped'];
const SMALL_BODY = '64kb';

/** Heavy work: put into the queue, followed, stopped; and what it made. */
export function jobRoutes(database: Database, queue: JobQueue, events: LiveEvents): Router {
  const routes = express.Router();

  routes.post('/characters', async (request, response) => {
    const { name, shelf: wanted, wait, id: given } = asked(uploadQuery, request.query);
    const account = accountId(request);
    const shelf = await findShelfToFill(database, account, wanted);
    const id = await receiveFile(database, request, { id: given, account, shelf, name });
    await queue.put('imports', id);
    const made = found(await findJob(database, account, id));
    if (wait === '0') {
      response.status(202).json(jobAnswer.parse(made));
      return;
    }
    const { state } = await untilOver(made, account);
    if (state !== 'done') {
      const failure = await findFailure(database, id);
      throw new RequestError(
        failure?.code ?? 'stopped',
        failure?.message ?? 'It was stopped.',
        failure?.detail,
      );
    }
    response.status(201).json(characterCard.parse(found(await findCard(database, account, id))));
  });

  routes.get('/jobs', async (request, response) => {
    response.json(jobsAnswer.parse({ jobs: await listJobs(database, accountId(request)) }));
  });

  routes.post('/jobs', express.json({ limit: SMALL_BODY }), async (request, response) => {
    const batch = asked(askedBatch, request.body);
    const ids = await transaction(database, (db) => insertBatch(db, accountId(request), batch));
    for (const id of ids) await queue.put('work', id);
    response.status(202).end();
  });

  routes.get('/jobs/:job', async (request, response) => {
    const { job: id } = asked(jobParam, request.params);
    response.json(jobAnswer.parse(foundJob(await findJob(database, accountId(request), id))));
  });

  routes.get('/jobs/:job/report.html', async (request, response) => {
    const { job: id } = asked(jobParam, request.params);
    const { name, result } = foundJob(await findResult(database, accountId(request), id, 'report'));
    sendReport(response, name, result, 'save' in request.query);
  });

  routes.get('/jobs/:job/report.json', async (request, response) => {
    const { job: id } = asked(jobParam, request.params);
    const { name, figures } = foundJob(await findResult(database, accountId(request), id, 'report'));
    response.attachment(`${name}.json`).json(foundJob(figures ?? undefined));
  });

  routes.get('/jobs/:job/binding', async (request, response) => {
    const { job: id } = asked(jobParam, request.params);
    sendBytes(response, foundJob(await findResult(database, accountId(request), id, 'bind')).result);
  });

  routes.delete('/jobs/:job', async (request, response) => {
    const { job: id } = asked(jobParam, request.params);
    if (!(await stopJob(database, accountId(request), id))) throw missingJob();
    response.status(204).end();
  });

  routes.delete('/batches/:batch', async (request, response) => {
    const { batch } = asked(batchParam, request.params);
    if (!(await stopBatch(database, accountId(request), batch))) throw missingJob();
    response.status(204).end();
  });

  /** Waits for a job that any worker does. */
  async function untilOver(begun: Job, account: string): Promise<Job> {
    let now = begun;
    while (!OVER.includes(now.state)) {
      await new Promise<void>((resolve) => {
        const go = (): void => {
          clearTimeout(timer);
          leave();
          resolve();
        };
        const timer = setTimeout(go, LOOK_MS);
        const leave = events.subscribe(begun.id, { onHead: go, onNews: go, onHearing: go });
      });
      now = found(await findJob(database, account, begun.id));
    }
    return now;
  }
  return routes;
}

/** A page that carries all it shows: it runs nothing and loads nothing. */
function sendReport(response: Response, name: string, report: Buffer, isSaved: boolean): void {
  response.set(
    'Content-Security-Policy',
    `sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src data:`,
  );
  if (isSaved) response.attachment(`${name}.html`);
  response.type('html').send(report);
}

const missingJob = (): RequestError =>
  new RequestError('not-found', 'This is over already, or is not yours.');
function foundJob<T>(job: T | undefined): T {
  if (job === undefined) throw missingJob();
  return job;
}
