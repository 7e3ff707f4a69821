import { createHash } from 'node:crypto';
import { promisify } from 'node:util';
import connectPgSimple from 'connect-pg-simple';
import type { Request, RequestHandler } from 'express';
import session from 'express-session';
import type { Config } from '../config.ts';
import type { Database } from '../database.ts';
import { RequestError } from '../http/requestError.ts';
import { browserWords } from './browserWords.ts';

declare module 'express-session' {
  interface SessionData {
    accountId: string;
    browser: string;
    address: string;
    since: string;
    seenAt: string;
  }
}

const MONTH_MS = 30 * 24 * 60 * 60 * 1000;
/** How often it is noted that a session is in use. */
const SEEN_MS = 60 * 60 * 1000;

/** Sessions live in the database; the cookie carries only their signed number. */
export function sessions(database: Database, secret: string, { address }: Config): RequestHandler {
  const Store = connectPgSimple(session);
  const place = createHash('sha256').update(secret).digest('hex').slice(0, 8);
  return session({
    // Two places on one machine share its cookies, whatever their ports: each has a name of its own.
    name: `judoka-${place}`,
    secret,
    resave: false,
    saveUninitialized: false,
    rolling: false,
    store: new Store({ pool: database, tableName: 'sessions', disableTouch: true }),
    cookie: {
      httpOnly: true,
      sameSite: 'strict',
      maxAge: MONTH_MS,
      secure: address?.protocol === 'https:',
    },
  });
}

/** Signs the browser in, with a session of a new number; stored before anything is answered. */
export async function begin(request: Request, account: string): Promise<void> {
  await promisify((done: (error: unknown) => void) => request.session.regenerate(done))();
  const now = new Date().toISOString();
  Object.assign(request.session, {
    accountId: account,
    browser: browserWords(request.headers['user-agent'] ?? ''),
    address: request.ip ?? '',
    since: now,
    seenAt: now,
  });
  await promisify((done: (error: unknown) => void) => request.session.save(done))();
}

export async function finish(request: Request): Promise<void> {
  await promisify((done: (error: unknown) => void) => request.session.destroy(done))();
}

/** Lets only signed-in requests pass. */
export const needAccount: RequestHandler = (request, _response, next) => {
  const { accountId: account, seenAt } = request.session;
  if (!account) throw new RequestError('not-signed-in', 'You are not signed in here.');
  const now = Date.now();
  // A month from the last use, not from the first.
  if (now - Date.parse(seenAt ?? '') > SEEN_MS) {
    request.session.seenAt = new Date(now).toISOString();
    request.session.cookie.maxAge = MONTH_MS;
  }
  next();
};

/** Who asks. */
export function accountId(request: Pick<Request, 'session'>): string {
  return request.session.accountId as string;
}
