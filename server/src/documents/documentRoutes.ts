import {
  attachmentParams,
  editParams,
  editsAnswer,
  headQuery,
  historyAnswer,
  historyQuery,
  idParam,
  logAnswer,
  logQuery,
  momentParams,
  touchedAnswer,
  touchedQuery,
  MAX_ATTACHMENT_BYTES,
  MAX_PIECE_BYTES,
  MAX_REQUEST_BYTES,
  pieceParams,
} from '@judoka/contract';
import express, { type Request, type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import { DELIVERY, type Delivery } from '@judoka/core/document';
import { exportNow } from '../deliveries/exportNow.ts';
import type { Database } from '../database.ts';
import { bodyOf, found, missing, rawBody, sendBytes } from '../http/bodies.ts';
import { asked } from '../http/requestError.ts';
import type { FileThreads } from '../files/FileThreads.ts';
import { needPainter } from '../people/access.ts';
import { findAttachment, keepAttachment } from './attachments.queries.ts';
import type { DocumentThreads } from './DocumentThreads.ts';
import { findBelow, findStack, keepPiece } from './edits.queries.ts';
import { findHead } from './heads.queries.ts';

/** Edits that can be undone in one answer. */
const HISTORY_PAGE = 100;

/** A character's document: opening it, its edits, and what goes with them. */
export function documentRoutes(database: Database, threads: DocumentThreads, jobs: FileThreads): Router {
  const routes = express.Router();
  const question = (request: Request) => {
    const { id } = asked(idParam, { id: request.params.id });
    return { account: accountId(request), character: id };
  };

  routes.get('/characters/:id/document', async (request, response) => {
    sendBytes(response, await threads.open(question(request)));
  });

  routes.get('/characters/:id/edits', async (request, response) => {
    const { after } = asked(headQuery, request.query);
    sendBytes(response, await threads.later({ ...question(request), after }));
  });

  routes.post(
    '/characters/:id/edits',
    needPainter(database),
    rawBody(MAX_REQUEST_BYTES),
    async (request, response) => {
      const answer = await threads.append({ ...question(request), bytes: bodyOf(request) });
      response.json(editsAnswer.parse(answer));
    },
  );

  routes.get('/characters/:id/edits/:edit', async (request, response) => {
    const { edit } = asked(editParams, request.params);
    sendBytes(response, await threads.content({ ...question(request), edit }));
  });

  routes.put(
    '/characters/:id/edits/:edit/pieces/:piece',
    needPainter(database),
    rawBody(MAX_PIECE_BYTES),
    async (request, response) => {
      const { id, edit, piece } = asked(pieceParams, request.params);
      found(await findHead(database, accountId(request), id));
      await keepPiece(database, id, edit, piece, bodyOf(request));
      response.status(204).end();
    },
  );

  routes.get('/characters/:id/history', async (request, response) => {
    const { account, character } = question(request);
    const { below: edit } = asked(historyQuery, request.query);
    found(await findHead(database, account, character));
    const { below } = found(await findBelow(database, character, edit));
    const done = await findStack(database, character, below, HISTORY_PAGE);
    response.json(historyAnswer.parse({ done, moreDone: (done.at(-1)?.below ?? null) !== null }));
  });

  routes.get('/characters/:id/log', async (request, response) => {
    const query = asked(logQuery, request.query);
    response.json(logAnswer.parse(await threads.log({ ...question(request), query })));
  });

  routes.post('/characters/:id/log/touching', rawBody(MAX_REQUEST_BYTES), async (request, response) => {
    const { limit } = asked(touchedQuery, request.query);
    const answer = await threads.touching({ ...question(request), bytes: bodyOf(request), limit });
    response.json(touchedAnswer.parse(answer));
  });

  routes.get('/characters/:id/moments/:moment', async (request, response) => {
    const { moment } = asked(momentParams, request.params);
    sendBytes(response, await threads.moment({ ...question(request), moment }));
  });

  routes.put(
    '/characters/:id/attachments/:attachment',
    needPainter(database),
    rawBody(MAX_ATTACHMENT_BYTES),
    async (request, response) => {
      const { id, attachment } = asked(attachmentParams, request.params);
      if (!(await keepAttachment(database, accountId(request), id, attachment, bodyOf(request))))
        throw missing();
      response.status(204).end();
    },
  );

  routes.get('/characters/:id/attachments/:attachment', async (request, response) => {
    const { id, attachment } = asked(attachmentParams, request.params);
    const bytes = found(await findAttachment(database, accountId(request), id, attachment));
    response.set('Cache-Control', 'private, max-age=31536000, immutable');
    sendBytes(response, bytes);
  });

  routes.get('/characters/:id/export.glb', async (request, response) => {
    const { sums, motions, as } = request.query;
    const how: Delivery = {
      ...DELIVERY,
      exactSums: sums === 'exact',
      withMotions: motions === 'all',
      asMeshes: as === 'meshes',
    };
    const { name, bytes } = await exportNow(database, threads, jobs, question(request), how);
    response.type('model/gltf-binary').attachment(name).send(Buffer.from(bytes));
  });
  return routes;
}
