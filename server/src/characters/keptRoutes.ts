import {
  characterSettings,
  idParam,
  keptPoses,
  nameBody,
  newPose,
  newSelection,
  packFrame,
  poseChange,
  poseParams,
  selectionParams,
  unpackFrame,
} from '@judoka/contract';
import express, { type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import type { Database } from '../database.ts';
import { RequestError } from '../http/errors.ts';
import { bodyOf, found, missing, rawBody, sendBytes, tooMany } from './bodies.ts';
import {
  changePose,
  countPoses,
  insertPose,
  insertSelection,
  keepSettings,
  listPoses,
  listSelections,
  MOST_POSES,
  MOST_SELECTIONS,
  removePose,
  removeSelection,
  renameSelection,
} from './kept.queries.ts';
import { findHead } from './edits.queries.ts';

const SELECTION_LIMIT = '16mb';

/** Poses and selections kept under names, and the settings of a character. */
export function keptRoutes(database: Database): Router {
  const routes = express.Router();

  routes.put('/characters/:id/settings', express.json({ limit: '4mb' }), async (request, response) => {
    const { id } = idParam.parse(request.params);
    const settings = characterSettings.parse(request.body);
    if (!(await keepSettings(database, accountId(request), id, settings))) throw missing();
    response.status(204).end();
  });

  routes.get('/characters/:id/poses', async (request, response) => {
    const { id } = idParam.parse(request.params);
    found(await findHead(database, accountId(request), id));
    response.json(keptPoses.parse({ poses: await listPoses(database, accountId(request), id) }));
  });

  routes.post('/characters/:id/poses', express.json({ limit: '4mb' }), async (request, response) => {
    const { id } = idParam.parse(request.params);
    const pose = newPose.parse(request.body);
    found(await findHead(database, accountId(request), id));
    if ((await countPoses(database, id)) >= MOST_POSES) throw tooMany(MOST_POSES, 'poses');
    const made = await insertPose(database, accountId(request), id, pose);
    if (!made)
      throw new RequestError(
        'request-invalid',
        `There is a pose “${pose.name}” already. Choose another name.`,
      );
    response.status(201).json({ id: made });
  });

  routes.patch('/characters/:id/poses/:pose', express.json({ limit: '4mb' }), async (request, response) => {
    const { id, pose } = poseParams.parse(request.params);
    const change = poseChange.parse(request.body);
    if (change.name !== undefined) {
      const others = await listPoses(database, accountId(request), id);
      if (others.some((other) => other.id !== pose && other.name === change.name))
        throw new RequestError(
          'request-invalid',
          `There is a pose “${change.name}” already. Choose another name.`,
        );
    }
    if (!(await changePose(database, accountId(request), id, pose, change))) throw missing();
    response.status(204).end();
  });

  routes.delete('/characters/:id/poses/:pose', async (request, response) => {
    const { id, pose } = poseParams.parse(request.params);
    if (!(await removePose(database, accountId(request), id, pose))) throw missing();
    response.status(204).end();
  });

  routes.get('/characters/:id/selections', async (request, response) => {
    const { id } = idParam.parse(request.params);
    found(await findHead(database, accountId(request), id));
    const frames = (await listSelections(database, accountId(request), id)).map(
      ({ id: own, name, points }) => {
        const { header, blobs } = unpackFrame(points);
        return { selection: { id: own, ...newSelection.parse({ ...(header as object), name }) }, blobs };
      },
    );
    const header = { selections: frames.map(({ selection }) => selection) };
    sendBytes(
      response,
      packFrame(
        header,
        frames.flatMap(({ blobs }) => blobs),
      ),
    );
  });

  routes.post('/characters/:id/selections', rawBody(SELECTION_LIMIT), async (request, response) => {
    const { id } = idParam.parse(request.params);
    const { header, blobs } = unpackFrame(bodyOf(request));
    const { name, parts } = newSelection.parse(header);
    if (blobs.length !== parts.length || blobs.some(({ length }) => length % 4 !== 0))
      throw new RequestError('request-invalid', 'The number of parts and of their points differ.');
    found(await findHead(database, accountId(request), id));
    const made = await insertSelection(database, accountId(request), id, name, packFrame({ parts }, blobs));
    if (made === undefined) throw tooMany(MOST_SELECTIONS, 'selections');
    response.status(201).json({ id: made });
  });

  routes.patch('/characters/:id/selections/:selection', express.json(), async (request, response) => {
    const { id, selection } = selectionParams.parse(request.params);
    const { name } = nameBody.parse(request.body);
    if (!(await renameSelection(database, accountId(request), id, selection, name))) throw missing();
    response.status(204).end();
  });

  routes.delete('/characters/:id/selections/:selection', async (request, response) => {
    const { id, selection } = selectionParams.parse(request.params);
    if (!(await removeSelection(database, accountId(request), id, selection))) throw missing();
    response.status(204).end();
  });
  return routes;
}
