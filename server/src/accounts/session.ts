import connectPgSimple from 'connect-pg-simple';
import { accountAnswer } from '@judoka/contract';
import express, { type RequestHandler, type Router } from 'express';
import { rateLimit } from 'express-rate-limit';
import session from 'express-session';
import type { Config } from '../config.ts';
import type { Database } from '../database.ts';
import { RequestError } from '../http/requestError.ts';
import { ensureLocalAccount, findAccount } from './accounts.queries.ts';

declare module 'express-session' {
  interface SessionData {
    accountId: string;
  }
}

const MONTH_MS = 30 * 24 * 60 * 60 * 1000;
const LOOPBACK = new Set(['127.0.0.1', '::1', '::ffff:127.0.0.1']);

/** Sessions live in the database; the cookie carries only their signed number. */
export function sessions(database: Database, secret: string): RequestHandler {
  const Store = connectPgSimple(session);
  return session({
    name: 'judoka',
    secret,
    resave: false,
    saveUninitialized: false,
    rolling: false,
    store: new Store({ pool: database, tableName: 'sessions' }),
    cookie: { httpOnly: true, sameSite: 'strict', maxAge: MONTH_MS },
  });
}

/** POST /session signs a browser on this machine in to the local account; GET tells who is signed in. */
export function sessionRoutes(database: Database, config: Config): Router {
  const routes = express.Router();
  const limit = rateLimit({
    windowMs: 60_000,
    limit: 120,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: () => {
      throw new RequestError(
        'too-many-requests',
        'Too many sign-ins from this address. Wait a minute and try again.',
      );
    },
  });
  routes.get('/session', async (request, response) => {
    response.json(accountAnswer.parse(await accountOf(database, request.session.accountId)));
  });
  routes.post('/session', limit, async (request, response) => {
    if (!config.localAccount || !LOOPBACK.has(request.socket.remoteAddress ?? '')) {
      throw new RequestError('not-signed-in', 'This server does not sign browsers in by itself.');
    }
    const account = await ensureLocalAccount(database);
    request.session.accountId = account.id;
    response.json(accountAnswer.parse(account));
  });
  return routes;
}

async function accountOf(database: Database, id: string | undefined) {
  const account = id === undefined ? undefined : await findAccount(database, id);
  if (!account) throw new RequestError('not-signed-in', 'You are not signed in. Reload the page.');
  return account;
}

/** Lets only signed-in requests pass. */
export const needAccount: RequestHandler = (request, _response, next) => {
  if (!request.session.accountId)
    throw new RequestError('not-signed-in', 'You are not signed in. Reload the page.');
  next();
};

export function accountId(request: express.Request): string {
  return request.session.accountId as string;
}
