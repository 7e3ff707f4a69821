import type { SignedIn } from '@judoka/contract';
import type { Queryable } from '../database.ts';
import { hashOf } from './tokens.ts';

/** How a session is called towards the page: what it is kept under would open it. */
export const sessionName = (sid: string): string => hashOf(sid).toString('base64url').slice(0, 22);

interface Kept {
  readonly accountId: string;
  readonly browser?: string;
  readonly address?: string;
  readonly since?: string;
  readonly seenAt?: string;
}

async function sessionsOf(db: Queryable, account: string): Promise<{ sid: string; sess: Kept }[]> {
  const { rows } = await db.query<{ sid: string; sess: Kept }>(
    `select sid, sess from sessions where sess ->> 'accountId' = $1 and expire > now() order by expire desc`,
    [account],
  );
  return rows;
}

/** Where an account is signed in, the latest first. */
export async function listSessions(db: Queryable, account: string, current: string): Promise<SignedIn[]> {
  const long = new Date(0).toISOString();
  return (await sessionsOf(db, account)).map(({ sid, sess }) => ({
    id: sessionName(sid),
    browser: sess.browser ?? 'A browser',
    address: sess.address ?? '',
    since: sess.since ?? long,
    seenAt: sess.seenAt ?? sess.since ?? long,
    isThis: sid === current,
  }));
}

/** Ends one session of an account, or all but one. @returns how many */
export async function endSessions(
  db: Queryable,
  account: string,
  which: (sid: string) => boolean,
): Promise<number> {
  const sids = (await sessionsOf(db, account)).map(({ sid }) => sid).filter(which);
  const { rowCount } = await db.query('delete from sessions where sid = any($1::text[])', [sids]);
  return rowCount ?? 0;
}
