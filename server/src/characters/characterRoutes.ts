import {
  characterCard,
  characterChange,
  idParam,
  MAX_UPLOAD_BYTES,
  shelfAnswer,
  uploadQuery,
} from '@judoka/contract';
import express, { type Request, type Response, type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import type { Database } from '../database.ts';
import { bodyOf, found, missing, rawBody } from '../http/bodies.ts';
import { asked, RequestError } from '../http/requestError.ts';
import type { FileJobs } from '../jobs/FileJobs.ts';
import { needPainter } from '../people/access.ts';
import { findShelfToFill } from '../people/shelves.queries.ts';
import { changeCharacter, findCard, findPicture, listCharacters } from './characters.queries.ts';
import { createCharacter } from './createCharacter.ts';
import { eachSourcePiece, findSourceSize } from './sources.queries.ts';

/** The shelf: what characters there are, bringing one in, its file and picture. */
export function characterRoutes(database: Database, jobs: FileJobs): Router {
  const routes = express.Router();

  routes.get('/characters', async (request, response) => {
    response.json(shelfAnswer.parse({ characters: await listCharacters(database, accountId(request)) }));
  });

  routes.post('/characters', refuseLarge, rawBody(MAX_UPLOAD_BYTES), async (request, response) => {
    const { name, shelf: wanted } = asked(uploadQuery, request.query);
    const account = accountId(request);
    const shelf = await findShelfToFill(database, account, wanted);
    const id = await createCharacter(database, jobs, shelf, name, bodyOf(request));
    response.status(201).json(characterCard.parse(found(await findCard(database, account, id))));
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

/** Refuses by the announced length, before any of the body is read. */
function refuseLarge(request: Request, _response: Response, next: () => void): void {
  const announced = Number(request.headers['content-length'] ?? 0);
  if (announced > MAX_UPLOAD_BYTES) {
    throw new RequestError('file-too-large', 'The file is larger than 256 MB and cannot be taken.', {
      bytes: announced,
    });
  }
  next();
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
