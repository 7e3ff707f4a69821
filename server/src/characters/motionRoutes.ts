import {
  idParam,
  keptMotions,
  MOTION_LIMIT_BYTES,
  motionChange,
  motionParams,
  motionQuery,
} from '@judoka/contract';
import express, { type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import type { Database } from '../database.ts';
import { RequestError } from '../http/errors.ts';
import { bodyOf, found, missing, rawBody, sendBytes, tooMany } from './bodies.ts';
import { findHead } from './edits.queries.ts';
import {
  changeMotion,
  insertMotion,
  listMotions,
  MOST_MOTIONS,
  motionBytes,
  removeMotion,
} from './motions.queries.ts';

/** Motions of a character: .bvh files as they came, and which joint follows which. */
export function motionRoutes(database: Database): Router {
  const routes = express.Router();

  routes.get('/characters/:id/motions', async (request, response) => {
    const { id } = idParam.parse(request.params);
    found(await findHead(database, accountId(request), id));
    response.json(keptMotions.parse({ motions: await listMotions(database, accountId(request), id) }));
  });

  routes.post('/characters/:id/motions', rawBody(MOTION_LIMIT_BYTES), async (request, response) => {
    const { id } = idParam.parse(request.params);
    const { name } = motionQuery.parse(request.query);
    const bytes = bodyOf(request);
    if (bytes.length === 0) throw new RequestError('request-invalid', 'This motion is empty.');
    found(await findHead(database, accountId(request), id));
    const made = await insertMotion(database, accountId(request), id, name, bytes);
    if (made === undefined) throw tooMany(MOST_MOTIONS, 'motions');
    response.status(201).json({ id: made });
  });

  routes.get('/characters/:id/motions/:motion', async (request, response) => {
    const { id, motion } = motionParams.parse(request.params);
    sendBytes(response, found(await motionBytes(database, accountId(request), id, motion)));
  });

  routes.patch(
    '/characters/:id/motions/:motion',
    express.json({ limit: '1mb' }),
    async (request, response) => {
      const { id, motion } = motionParams.parse(request.params);
      const change = motionChange.parse(request.body);
      if (!(await changeMotion(database, accountId(request), id, motion, change))) throw missing();
      response.status(204).end();
    },
  );

  routes.delete('/characters/:id/motions/:motion', async (request, response) => {
    const { id, motion } = motionParams.parse(request.params);
    if (!(await removeMotion(database, accountId(request), id, motion))) throw missing();
    response.status(204).end();
  });
  return routes;
}
