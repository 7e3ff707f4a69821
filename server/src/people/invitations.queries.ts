import type { madeInvitation } from '@judoka/contract';
import { type Role } from '@judoka/contract';
import type { z } from 'zod';
import { hashOf, makeToken } from '../accounts/tokens.ts';
import type { Queryable } from '../database.ts';
import { putOnShelf } from './shelves.queries.ts';

/** Makes an invitation that one person can take within a week. */
export async function insertInvitation(
  db: Queryable,
  account: string,
  shelf: string,
  role: Role,
): Promise<z.infer<typeof madeInvitation>> {
  const token = makeToken();
  const { rows } = await db.query<{ id: string; by: string; expires_at: Date }>(
    `insert into invitations (hash, shelf_id, role, made_by, expires_at)
     values ($1, $2, $3, $4, now() + interval '7 days')
     returning id, expires_at, (select name from accounts where id = $4) as by`,
    [hashOf(token), shelf, role, account],
  );
  const [{ id, by, expires_at }] = rows;
  return { id, role, by, expiresAt: expires_at.toISOString(), token };
}

export async function dropInvitation(db: Queryable, shelf: string, id: string): Promise<boolean> {
  const { rowCount } = await db.query('delete from invitations where id = $1 and shelf_id = $2', [id, shelf]);
  return rowCount === 1;
}

/** What an invitation is to; undefined where it was taken, withdrawn, or is too old. */
export async function findInvitation(
  db: Queryable,
  token: string,
): Promise<{ shelf: string; by: string; role: Role } | undefined> {
  const { rows } = await db.query<{ shelf: string; by: string; role: Role }>(
    `select case when s.own_of is not null then s.name || '’s shelf' else s.name end as shelf, a.name as by, i.role
     from invitations i
     join shelves s on s.id = i.shelf_id
     join accounts a on a.id = i.made_by
     where i.hash = $1 and i.expires_at > now()`,
    [hashOf(token)],
  );
  return rows[0];
}

/** Takes an invitation for an account. @returns the shelf; undefined where it is gone */
export async function takeInvitation(
  db: Queryable,
  token: string,
  account: string,
): Promise<string | undefined> {
  const { rows } = await db.query<{ shelf_id: string; role: Role }>(
    'delete from invitations where hash = $1 and expires_at > now() returning shelf_id, role',
    [hashOf(token)],
  );
  if (rows.length === 0) return undefined;
  await putOnShelf(db, rows[0].shelf_id, account, rows[0].role);
  return rows[0].shelf_id;
}
