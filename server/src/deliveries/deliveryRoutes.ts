import {
  askedDelivery,
  deliveriesAnswer,
  deliveryLine,
  deliveryParams,
  idParam,
  lossesAnswer,
  lossesQuery,
} from '@judoka/contract';
import express, { type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import { findCard } from '../characters/characters.queries.ts';
import { readSource } from '../characters/sources.queries.ts';
import { transaction, type Database } from '../database.ts';
import type { DocumentThreads } from '../documents/DocumentThreads.ts';
import type { FileThreads } from '../files/FileThreads.ts';
import { found } from '../http/bodies.ts';
import { asked, RequestError } from '../http/requestError.ts';
import { needPainter } from '../people/access.ts';
import {
  eachDeliveryPiece,
  findDelivery,
  insertDelivery,
  listDeliveries,
  removeDelivery,
} from './deliveries.queries.ts';
import { exportNow } from './exportNow.ts';

/** What leaves, and what has left. */
export function deliveryRoutes(database: Database, threads: DocumentThreads, files: FileThreads): Router {
  const routes = express.Router();

  routes.post(
    '/characters/:id/deliveries',
    needPainter(database),
    express.json({ limit: '64kb' }),
    async (request, response) => {
      const { id: character } = asked(idParam, request.params);
      const wanted = asked(askedDelivery, request.body);
      const of = { account: accountId(request), character };
      const at = new Date();
      const before = await findDelivery(database, of.account, character, wanted.id);
      if (!before) {
        const made = await exportNow(database, threads, files, of, wanted.delivery, at);
        await transaction(database, (db) => insertDelivery(db, of, wanted, { ...made, at }));
      }
      const line = await findDelivery(database, of.account, character, wanted.id);
      response.status(before ? 200 : 201).json(deliveryLine.parse(found(line)));
    },
  );

  routes.get('/characters/:id/losses', async (request, response) => {
    const { id } = asked(idParam, request.params);
    const { format } = asked(lossesQuery, request.query);
    found(await findCard(database, accountId(request), id));
    const losses = await files.lossesOf(await readSource(database, id), format);
    response.json(lossesAnswer.parse({ losses }));
  });

  routes.get('/characters/:id/deliveries', async (request, response) => {
    const { id } = asked(idParam, request.params);
    const account = accountId(request);
    found(await findCard(database, account, id));
    response.json(deliveriesAnswer.parse({ deliveries: await listDeliveries(database, account, id) }));
  });

  routes.get('/characters/:id/deliveries/:delivery/file', async (request, response) => {
    const { id, delivery } = asked(deliveryParams, request.params);
    const line = await findDelivery(database, accountId(request), id, delivery);
    if (!line) throw gone();
    response
      .type('application/octet-stream')
      .attachment(line.file)
      .set({ 'Content-Length': String(line.bytes), 'Cache-Control': 'private, no-transform' });
    for await (const piece of eachDeliveryPiece(database, delivery))
      if (!response.write(piece)) await new Promise((resolve) => response.once('drain', resolve));
    response.end();
  });

  routes.delete('/characters/:id/deliveries/:delivery', needPainter(database), async (request, response) => {
    const { id, delivery } = asked(deliveryParams, request.params);
    if (!(await removeDelivery(database, accountId(request), id, delivery))) throw gone();
    response.status(204).end();
  });
  return routes;
}

const gone = (): RequestError =>
  new RequestError('not-found', 'This delivery is not there any more, or is not yours.');
