import { commentBody, commentChange, commentParams, commentsAnswer, idParam } from '@judoka/contract';
import express, { type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import { findCard } from '../characters/characters.queries.ts';
import type { Database } from '../database.ts';
import { found, missing } from '../http/bodies.ts';
import { asked, RequestError } from '../http/requestError.ts';
import { notifyNews } from '../live/presence.queries.ts';
import { changeComment, dropComment, insertComment, listComments } from './comments.queries.ts';

/** Comments on a place or a joint of a character. A guest writes them too: they are no part of the document. */
export function commentRoutes(database: Database): Router {
  const routes = express.Router();

  routes.get('/characters/:id/comments', async (request, response) => {
    const { id } = asked(idParam, request.params);
    found(await findCard(database, accountId(request), id));
    response.json(commentsAnswer.parse({ comments: await listComments(database, accountId(request), id) }));
  });

  routes.post('/characters/:id/comments', express.json(), async (request, response) => {
    const { id } = asked(idParam, request.params);
    const comment = asked(commentBody, request.body);
    if (!(await insertComment(database, accountId(request), id, comment))) throw missing();
    await notifyNews(database, id, 'comments');
    response.status(204).end();
  });

  routes.patch('/characters/:id/comments/:comment', express.json(), async (request, response) => {
    const { id, comment } = asked(commentParams, request.params);
    const change = asked(commentChange, request.body);
    if (!(await changeComment(database, accountId(request), id, comment, change))) throw notYours();
    await notifyNews(database, id, 'comments');
    response.status(204).end();
  });

  routes.delete('/characters/:id/comments/:comment', async (request, response) => {
    const { id, comment } = asked(commentParams, request.params);
    if (!(await dropComment(database, accountId(request), id, comment))) throw notYours();
    await notifyNews(database, id, 'comments');
    response.status(204).end();
  });
  return routes;
}

const notYours = (): RequestError => new RequestError('not-found', 'This comment is gone, or is not yours.');
