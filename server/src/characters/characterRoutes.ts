import { characterCard, characterChange, idParam, shelfAnswer } from '@judoka/contract';
import express, { type Response, type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import type { Database } from '../database.ts';
import { found, missing } from '../http/bodies.ts';
import { asked } from '../http/requestError.ts';
import { needPainter } from '../people/access.ts';
import type { CardChecks } from './CardChecks.ts';
import { changeCharacter, findCard, findPicture, listCharacters } from './characters.queries.ts';
import { eachSourcePiece, findSourceSize } from './sources.queries.ts';

/** The shelf: what characters there are, their files and pictures. */
export function characterRoutes(database: Database, checks: CardChecks): Router {
  const routes = express.Router();

  routes.get('/characters', async (request, response) => {
    const account = accountId(request);
    const characters = await listCharacters(database, account);
    response.json(shelfAnswer.parse({ characters }));
    checks.want(account, characters);
  });

  routes.get('/characters/:id', async (request, response) => {
    const { id } = asked(idParam, request.params);
    response.json(characterCard.parse(found(await findCard(database, accountId(request), id))));
  });

  routes.patch('/characters/:id', needPainter(database), express.json(), async (request, response) => {
    const { id } = asked(idParam, request.params);
    const change = asked(characterChange, request.body);
    if (!(await changeCharacter(database, accountId(request), id, change))) throw missing();
    response.status(204).end();
  });

  routes.get('/characters/:id/picture.png', async (request, response) => {
    const { id } = asked(idParam, request.params);
    const picture = found(await findPicture(database, accountId(request), id));
    response.type('image/png').set('Cache-Control', 'private, max-age=3600').send(picture);
  });

  routes.get('/characters/:id/source.glb', async (request, response) => {
    const { id } = asked(idParam, request.params);
    await sendSource(database, accountId(request), id, response);
  });
  return routes;
}

async function sendSource(
  database: Database,
  account: string,
  id: string,
  response: Response,
): Promise<void> {
  const size = found(await findSourceSize(database, account, id));
  response.type('model/gltf-binary').set({
    'Content-Length': String(size),
    'Cache-Control': 'private, max-age=31536000, immutable, no-transform',
  });
  for await (const piece of eachSourcePiece(database, id))
    if (!response.write(piece)) await new Promise((resolve) => response.once('drain', resolve));
  response.end();
}
