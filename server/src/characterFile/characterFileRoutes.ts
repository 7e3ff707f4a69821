import { PassThrough, Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createGzip } from 'node:zlib';
import { characterCard, historyUploadQuery, idParam } from '@judoka/contract';
import express, { type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import { transaction, type Database } from '../database.ts';
import type { DocumentThreads } from '../documents/DocumentThreads.ts';
import { findHead } from '../documents/heads.queries.ts';
import { found } from '../http/bodies.ts';
import { asked } from '../http/requestError.ts';
import type { FileThreads } from '../files/FileThreads.ts';
import { findShelfToFill } from '../people/shelves.queries.ts';
import { readCharacterFile } from './readCharacterFile.ts';
import { writeCharacterFile } from './writeCharacterFile.ts';

/** A character with all its history as one file, out and in. */
export function characterFileRoutes(database: Database, threads: DocumentThreads, jobs: FileThreads): Router {
  const routes = express.Router();

  routes.get('/characters/:id/history.judoka', async (request, response) => {
    const { id } = asked(idParam, request.params);
    const account = accountId(request);
    const { name } = found(await findHead(database, account, id));
    response
      .type('application/gzip')
      .attachment(`${name}.judoka`)
      .set('Cache-Control', 'no-store, no-transform');
    await transaction(
      database,
      (db) =>
        pipeline(Readable.from(writeCharacterFile(db, account, id)), createGzip({ level: 4 }), response),
      'repeatable read',
    );
  });

  routes.post('/characters/history', async (request, response) => {
    const body = request.pipe(new PassThrough());
    const means = { database, threads, jobs };
    // What is refused is still read to its end: a connection that is cut would lose the answer.
    const account = accountId(request);
    const { shelf: wanted } = asked(historyUploadQuery, request.query);
    const to = { account, shelf: await findShelfToFill(database, account, wanted) };
    const card = await readCharacterFile(means, to, body).finally(() => {
      request.unpipe(body);
      request.resume();
    });
    response.status(201).json(characterCard.parse(card));
  });
  return routes;
}
