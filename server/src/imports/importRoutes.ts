import {
  characterCard,
  importJob,
  jobParam,
  jobsAnswer,
  uploadQuery,
  type ImportJob,
} from '@judoka/contract';
import express, { type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import { findCard } from '../characters/characters.queries.ts';
import type { Database } from '../database.ts';
import { found } from '../http/bodies.ts';
import { asked, RequestError } from '../http/requestError.ts';
import type { LiveEvents } from '../live/LiveEvents.ts';
import { findShelfToFill } from '../people/shelves.queries.ts';
import { findFailure, findImport, listImports, stopImport } from './imports.queries.ts';
import type { JobQueue } from './JobQueue.ts';
import { receiveFile } from './receiveFile.ts';

/** Should its news get lost, a job is looked at so often. */
const LOOK_MS = 1000;
const OVER: readonly ImportJob['state'][] = ['done', 'failed', 'stopped'];

/** Bringing characters in: what comes is put into the queue, and can be followed and stopped. */
export function importRoutes(database: Database, queue: JobQueue, events: LiveEvents): Router {
  const routes = express.Router();

  routes.post('/characters', async (request, response) => {
    const { name, shelf: wanted, wait, id: given } = asked(uploadQuery, request.query);
    const account = accountId(request);
    const shelf = await findShelfToFill(database, account, wanted);
    const id = await receiveFile(database, request, { id: given, account, shelf, name });
    await queue.put(id);
    const job = found(await findImport(database, account, id));
    if (wait === '0') {
      response.status(202).json(importJob.parse(job));
      return;
    }
    const { state } = await untilOver(job, account);
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
    response.json(jobsAnswer.parse({ jobs: await listImports(database, accountId(request)) }));
  });

  routes.get('/jobs/:job', async (request, response) => {
    const { job: id } = asked(jobParam, request.params);
    response.json(importJob.parse(foundJob(await findImport(database, accountId(request), id))));
  });

  routes.delete('/jobs/:job', async (request, response) => {
    const { job } = asked(jobParam, request.params);
    if (!(await stopImport(database, accountId(request), job))) throw missingJob();
    response.status(204).end();
  });

  /** Waits for a job that any worker does. */
  async function untilOver(job: ImportJob, account: string): Promise<ImportJob> {
    let now = job;
    while (!OVER.includes(now.state)) {
      await new Promise<void>((resolve) => {
        const go = (): void => {
          clearTimeout(timer);
          leave();
          resolve();
        };
        const timer = setTimeout(go, LOOK_MS);
        const leave = events.subscribe(job.id, { onHead: go, onNews: go, onHearing: go });
      });
      now = found(await findImport(database, account, job.id));
    }
    return now;
  }
  return routes;
}

const missingJob = (): RequestError =>
  new RequestError('not-found', 'This is over already, or is not yours.');
const foundJob = (job: ImportJob | undefined): ImportJob => {
  if (!job) throw missingJob();
  return job;
};
