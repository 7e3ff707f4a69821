import { z } from 'zod';
import type { Account } from '@judoka/contract';
import type { Queryable } from '../database.ts';

const accountRow = z.object({ id: z.uuid(), name: z.string() });

/** The account of this machine, made at the first call. */
export async function ensureLocalAccount(db: Queryable): Promise<Account> {
  const { rows } = await db.query(
    `insert into accounts (name, is_local)
     values ('This computer', true)
     on conflict (is_local) where is_local do update set is_local = true
     returning id, name`,
  );
  return accountRow.parse(rows[0]);
}

export async function findAccount(db: Queryable, id: string): Promise<Account | undefined> {
  const { rows } = await db.query('select id, name from accounts where id = $1', [id]);
  return rows.length > 0 ? accountRow.parse(rows[0]) : undefined;
}

/** Whether the demo characters are still to be put on an account's shelf. */
export async function needsDemo(db: Queryable, id: string): Promise<boolean> {
  const { rowCount } = await db.query('select from accounts where id = $1 and not demo_loaded', [id]);
  return rowCount === 1;
}

export async function finishDemo(db: Queryable, id: string): Promise<void> {
  await db.query('update accounts set demo_loaded = true where id = $1', [id]);
}

/** The account here that an account of another place stands for: the same one, one of that name, or a new one. */
export async function findTwin(
  db: Queryable,
  { id, name, isLocal }: Account & { readonly isLocal: boolean },
): Promise<string> {
  if (isLocal) return (await ensureLocalAccount(db)).id;
  const { rows } = await db.query<{ id: string }>(
    `select id
     from accounts
     where id = $1 or name = $2
     order by id = $1 desc
     limit 1`,
    [id, name],
  );
  if (rows.length > 0) return rows[0].id;
  await db.query('insert into accounts (id, name) values ($1, $2)', [id, name]);
  return id;
}
