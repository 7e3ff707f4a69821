import {
  characterAnswer,
  characterCard,
  characterChange,
  editHeader,
  editParams,
  editsAnswer,
  editsHeader,
  encodeRows,
  headQuery,
  idParam,
  locksBody,
  packFrame,
  poseBody,
  shelfAnswer,
  unpackFrame,
  UPLOAD_LIMIT_BYTES,
  uploadQuery,
  weightsHeader,
} from '@judoka/contract';
import express, { type Request, type Response, type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import type { Database } from '../database.ts';
import { exportGlb } from '../heavy/heavy.ts';
import { RequestError } from '../http/errors.ts';
import {
  changeCharacter,
  findCharacter,
  findPicture,
  findSourcePiece,
  findSourceSize,
  keepJoints,
  keepPose,
  listCharacters,
} from './characters.queries.ts';
import { bodyOf, found, missing, rawBody, sendBytes } from './bodies.ts';
import { createCharacter } from './createCharacter.ts';
import { findContent, findEdits, findHead } from './edits.queries.ts';
import { HeadCache, loadState } from './headState.ts';
import { keptRoutes } from './keptRoutes.ts';
import { motionRoutes } from './motionRoutes.ts';
import { saveEdits } from './saveEdits.ts';

const EDITS_LIMIT = '64mb';
export function characterRoutes(database: Database): Router {
  const routes = express.Router();
  const cache = new HeadCache();
  routes.use(keptRoutes(database));
  routes.use(motionRoutes(database));

  routes.get('/characters', async (request, response) => {
    response.json(shelfAnswer.parse({ characters: await listCharacters(database, accountId(request)) }));
  });

  routes.post('/characters', refuseLarge, rawBody(UPLOAD_LIMIT_BYTES), async (request, response) => {
    const { name } = uploadQuery.parse(request.query);
    const card = await createCharacter(database, accountId(request), name, bodyOf(request));
    response.status(201).json(characterCard.parse(card));
  });

  routes.get('/characters/:id', async (request, response) => {
    const { id } = idParam.parse(request.params);
    response.json(characterAnswer.parse(found(await findCharacter(database, accountId(request), id))));
  });

  routes.patch('/characters/:id', express.json(), async (request, response) => {
    const { id } = idParam.parse(request.params);
    const change = characterChange.parse(request.body);
    if (!(await changeCharacter(database, accountId(request), id, change))) throw missing();
    response.status(204).end();
  });

  routes.get('/characters/:id/picture.png', async (request, response) => {
    const { id } = idParam.parse(request.params);
    const picture = found(await findPicture(database, accountId(request), id));
    response.type('image/png').set('Cache-Control', 'private, max-age=3600').send(picture);
  });

  routes.get('/characters/:id/source.glb', async (request, response) => {
    const { id } = idParam.parse(request.params);
    await sendSource(database, accountId(request), id, response);
  });

  routes.get('/characters/:id/weights', async (request, response) => {
    const { id } = idParam.parse(request.params);
    const { head, setups } = found(await findHead(database, accountId(request), id));
    const { rows } = await loadState(database, id, head);
    const header = weightsHeader.parse({ head, joints: setups });
    sendBytes(response, packFrame(header, [encodeRows(rows)]));
  });

  routes.get('/characters/:id/edits', async (request, response) => {
    const { id } = idParam.parse(request.params);
    const { after } = headQuery.parse(request.query);
    const { head } = found(await findHead(database, accountId(request), id));
    const edits = await findEdits(database, id, after, head);
    const entries = edits.map(({ id: edit, kind, label, target, joints }) => ({
      id: edit,
      kind,
      label,
      target: target ?? undefined,
      joints: joints ?? undefined,
    }));
    sendBytes(
      response,
      packFrame(
        { head, entries },
        edits.map(({ delta }) => delta as Buffer),
      ),
    );
  });

  routes.get('/characters/:id/edits/:edit/delta', async (request, response) => {
    const { id, edit } = editParams.parse(request.params);
    const { delta, joints } = found(await findContent(database, accountId(request), id, edit));
    sendBytes(response, packFrame(editHeader.parse({ joints }), [delta]));
  });

  routes.post('/characters/:id/edits', rawBody(EDITS_LIMIT), async (request, response) => {
    const { id } = idParam.parse(request.params);
    const frame = unpackFrame(bodyOf(request));
    const header = editsHeader.parse(frame.header);
    if (header.entries.filter(({ kind }) => kind === 'edit').length !== frame.blobs.length) {
      throw new RequestError('request-invalid', 'The number of changes and of their data differ.');
    }
    const head = await saveEdits(database, cache, accountId(request), id, header, frame.blobs);
    response.json(editsAnswer.parse({ head }));
  });

  routes.put('/characters/:id/pose', express.json({ limit: '2mb' }), async (request, response) => {
    const { id } = idParam.parse(request.params);
    const { joints } = poseBody.parse(request.body);
    if (!(await keepPose(database, accountId(request), id, joints))) throw missing();
    response.status(204).end();
  });

  routes.put('/characters/:id/locks', express.json(), async (request, response) => {
    const { id } = idParam.parse(request.params);
    const { joints } = locksBody.parse(request.body);
    if (!(await keepJoints(database, accountId(request), id, { locked: joints }))) throw missing();
    response.status(204).end();
  });

  routes.put('/characters/:id/still', express.json(), async (request, response) => {
    const { id } = idParam.parse(request.params);
    const { joints } = locksBody.parse(request.body);
    if (!(await keepJoints(database, accountId(request), id, { still: joints }))) throw missing();
    response.status(204).end();
  });

  routes.get('/characters/:id/export.glb', async (request, response) => {
    const { id } = idParam.parse(request.params);
    const owner = accountId(request);
    const character = found(await findCharacter(database, owner, id));
    const { head, setups } = found(await findHead(database, owner, id));
    const { rows } = await loadState(database, id, head);
    const glb = await exportGlb(await readSource(database, owner, id), encodeRows(rows), setups);
    response.type('model/gltf-binary').attachment(`${character.name}.glb`).send(Buffer.from(glb));
  });
  return routes;
}

/** Refuses by the announced length, before any of the body is read. */
function refuseLarge(request: Request, _response: Response, next: () => void): void {
  const announced = Number(request.headers['content-length'] ?? 0);
  if (announced > UPLOAD_LIMIT_BYTES) {
    throw new RequestError('file-too-large', 'The file is larger than 256 MB and cannot be taken.', {
      bytes: announced,
    });
  }
  next();
}

async function readSource(database: Database, owner: string, id: string): Promise<Uint8Array> {
  const pieces: Buffer[] = [];
  for (let n = 0; ; n++) {
    const piece = await findSourcePiece(database, owner, id, n);
    if (!piece) return new Uint8Array(Buffer.concat(pieces));
    pieces.push(piece);
  }
}

async function sendSource(database: Database, owner: string, id: string, response: Response): Promise<void> {
  const size = found(await findSourceSize(database, owner, id));
  response.type('model/gltf-binary').set({
    'Content-Length': String(size),
    'Cache-Control': 'private, max-age=31536000, immutable',
  });
  for (let n = 0; ; n++) {
    const piece = await findSourcePiece(database, owner, id, n);
    if (!piece) break;
    if (!response.write(piece)) await new Promise((resolve) => response.once('drain', resolve));
  }
  response.end();
}
