import type { Queryable } from '../database.ts';
import { hashOf, makeToken } from './tokens.ts';

/** Makes a key that lets one browser in as an account, once, within a day. */
export async function makeEntryKey(db: Queryable, account: string): Promise<string> {
  const key = makeToken();
  await db.query('delete from entry_keys where expires_at < now()');
  await db.query(
    `insert into entry_keys (hash, account_id, expires_at) values ($1, $2, now() + interval '1 day')`,
    [hashOf(key), account],
  );
  return key;
}

/** Uses a key up. @returns the account that it opens; undefined for one that was used, or never was */
export async function useEntryKey(db: Queryable, key: string): Promise<string | undefined> {
  const { rows } = await db.query<{ account_id: string }>(
    'delete from entry_keys where hash = $1 and expires_at > now() returning account_id',
    [hashOf(key)],
  );
  return rows[0]?.account_id;
}
