import { goneQuery, idParam, presenceBody, presenceParams, presentAnswer } from '@judoka/contract';
import express, { type Request, type Response, type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import type { Database } from '../database.ts';
import { findHead } from '../documents/heads.queries.ts';
import { found, missing } from '../http/bodies.ts';
import { asked } from '../http/requestError.ts';
import type { LiveEvents } from './LiveEvents.ts';
import { addressOf, dropOpening, keepOpening } from './openings.queries.ts';
import { dropPresence, keepPresence, listPresent, notifyNews } from './presence.queries.ts';

/** A comment now and then keeps what lies between from closing a silent connection. */
const HEARTBEAT_MS = 25_000;

/** What happens to a character while it is open: its heads, its comments, who else is here. */
export function liveRoutes(database: Database, events: LiveEvents, version: string): Router {
  const routes = express.Router();

  routes.get('/characters/:id/events', async (request, response) => {
    const { id } = asked(idParam, request.params);
    const account = accountId(request);
    found(await findHead(database, account, id));
    const tell = beginStream(request, response);
    const tellHead = async (): Promise<void> => {
      const now = await findHead(database, account, id);
      if (!now) return;
      tell('place', { version, epoch: now.epoch });
      tell('message', { head: now.head });
    };
    const tellPeople = async (): Promise<void> =>
      tell('people', presentAnswer.parse({ people: await listPresent(database, account, id) }));
    const ignore = (): void => undefined;
    const tellAll = async (): Promise<void> => {
      await Promise.all([tellHead(), tellPeople()]).catch(ignore);
    };
    const unsubscribe = events.subscribe(id, {
      onHearing: () => void tellAll().then(() => tell('comments', {})),
      onHead: (next) => tell('message', { head: next }),
      onNews: (what) => {
        if (what === 'people') tellPeople().catch(ignore);
        else tell(what, {});
      },
      onClose: () => response.end(),
    });
    // Whoever was taken off the shelf, or whose session was ended, hears nothing more.
    const heartbeat = setInterval(() => {
      response.write(': still here\n\n');
      mayStillHear(database, request, id).then((may) => may || response.end(), ignore);
    }, HEARTBEAT_MS);
    response.on('close', () => {
      clearInterval(heartbeat);
      unsubscribe();
    });
    await tellAll();
  });

  routes.put('/characters/:id/people/:page', express.json(), async (request, response) => {
    const { id, page } = asked(presenceParams, request.params);
    const { joint } = asked(presenceBody, request.body);
    const account = accountId(request);
    const isNews = await keepPresence(database, account, id, page, joint);
    if (isNews === undefined) throw missing();
    await keepOpening(database, account, id, page, addressOf(request));
    if (isNews) await notifyNews(database, id, 'people');
    response.status(204).end();
  });

  // A page that closes can only send what a beacon can: a POST.
  routes.post('/characters/:id/people/:page/gone', async (request, response) => {
    const { id, page } = asked(presenceParams, request.params);
    const { saved } = asked(goneQuery, request.query);
    if (!(await dropPresence(database, accountId(request), id, page))) throw missing();
    if (saved === '1') await dropOpening(database, accountId(request), id, page);
    await notifyNews(database, id, 'people');
    response.status(204).end();
  });
  return routes;
}

async function mayStillHear(database: Database, request: Request, id: string): Promise<boolean> {
  const { rowCount } = await database.query('select from sessions where sid = $1 and expire > now()', [
    request.sessionID,
  ]);
  return rowCount === 1 && (await findHead(database, accountId(request), id)) !== undefined;
}

/** Server-sent events. @returns what sends one */
function beginStream(request: Request, response: Response): (event: string, data: object) => void {
  response.set({
    'Content-Type': 'text/event-stream',
    'Cache-Control': 'no-cache, no-transform',
    Connection: 'keep-alive',
  });
  response.flushHeaders();
  request.socket.setNoDelay(true);
  return (event, data) => {
    const name = event === 'message' ? '' : `event: ${event}\n`;
    if (!response.writableEnded) response.write(`${name}data: ${JSON.stringify(data)}\n\n`);
  };
}
