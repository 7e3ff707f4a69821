import { elsewhereAnswer, elsewhereBody, elsewhereLink, idParam } from '@judoka/contract';
import express, { type Router } from 'express';
import { makeEntryKey } from '../accounts/entryKeys.queries.ts';
import { accountId } from '../accounts/session.ts';
import type { Database } from '../database.ts';
import { findHead } from '../documents/heads.queries.ts';
import { found } from '../http/bodies.ts';
import { asked, RequestError } from '../http/requestError.ts';
import { addressOf, listElsewhere } from './openings.queries.ts';

/** Edits that a browser keeps under another address of this place: where they may be, and the way there. */
export function elsewhereRoutes(
  database: Database,
  listenAlso: ((port: number) => Promise<void>) | undefined,
): Router {
  const routes = express.Router();
  /** Ports that are known to be this server's. */
  const opened = new Set<number>();

  routes.get('/characters/:id/elsewhere', async (request, response) => {
    const { id } = asked(idParam, request.params);
    const account = accountId(request);
    found(await findHead(database, account, id));
    const addresses = await listElsewhere(database, account, id, addressOf(request));
    response.json(elsewhereAnswer.parse({ addresses }));
  });

  // Where nothing listens any more, this server does; a key signs the browser in there, as cookies go by host.
  routes.post('/characters/:id/elsewhere', express.json(), async (request, response) => {
    const { id } = asked(idParam, request.params);
    const { address } = asked(elsewhereBody, request.body);
    const account = accountId(request);
    found(await findHead(database, account, id));
    const known = await listElsewhere(database, account, id, addressOf(request));
    if (!known.some((each) => each.address === address))
      throw new RequestError(
        'not-found',
        'Nothing of this character is known to be kept under this address.',
      );
    if (!listenAlso)
      throw new RequestError('not-allowed', `This place does not answer at ${address} any more.`);
    const port = Number(new URL(address).port || 80);
    if (port !== request.socket.localPort && !opened.has(port)) {
      await listenAlso(port);
      opened.add(port);
    }
    const key = await makeEntryKey(database, account);
    response.json(elsewhereLink.parse({ link: `${address}/enter?to=/characters/${id}/paint#${key}` }));
  });
  return routes;
}
