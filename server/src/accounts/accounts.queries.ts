import { accountAnswer, type Account } from '@judoka/contract';
import { transaction, type Database, type Queryable } from '../database.ts';
import { RequestError } from '../http/requestError.ts';
import { insertOwnShelf } from '../people/shelves.queries.ts';

const COLUMNS = `id, name, is_local as "isLocal", password_hash is not null as "hasPassword"`;

/** The account of this machine, made at the first call. */
export async function ensureLocalAccount(database: Database): Promise<Account> {
  return transaction(database, async (db) => {
    const { rows } = await db.query<object>(
      `insert into accounts (name, is_local)
       values ('This computer', true)
       on conflict (is_local) where is_local do update set is_local = true
       returning ${COLUMNS}`,
    );
    const account = accountAnswer.parse(rows[0]);
    await insertOwnShelf(db, account.id, account.name);
    return account;
  });
}

export async function findAccount(db: Queryable, id: string): Promise<Account | undefined> {
  const { rows } = await db.query<object>(`select ${COLUMNS} from accounts where id = $1`, [id]);
  return rows.length > 0 ? accountAnswer.parse(rows[0]) : undefined;
}

/** Who has this name, and what their password was hashed to. */
export async function findByName(
  db: Queryable,
  name: string,
): Promise<{ id: string; hash: string | null } | undefined> {
  const { rows } = await db.query<{ id: string; hash: string | null }>(
    'select id, password_hash as hash from accounts where lower(name) = lower($1)',
    [name],
  );
  return rows[0];
}

const taken = (error: unknown): never => {
  if ((error as { constraint?: unknown } | undefined)?.constraint === 'accounts_name_once')
    throw new RequestError('request-invalid', 'Somebody here has this name already. Choose another one.', {
      field: 'name',
    });
  throw error;
};

/** Makes an account with its own shelf. @throws RequestError where the name is taken */
export async function insertAccount(db: Queryable, name: string, hash: string | null): Promise<string> {
  const { rows } = await db
    .query<{ id: string }>('insert into accounts (name, password_hash) values ($1, $2) returning id', [
      name,
      hash,
    ])
    .catch(taken);
  await insertOwnShelf(db, rows[0].id, name);
  return rows[0].id;
}

export async function findPassword(db: Queryable, id: string): Promise<string | null> {
  const { rows } = await db.query<{ hash: string | null }>(
    'select password_hash as hash from accounts where id = $1',
    [id],
  );
  return rows[0]?.hash ?? null;
}

/** Changes name or password. Its own shelf is named after it. @throws RequestError where the name is taken */
export async function changeAccount(
  db: Queryable,
  id: string,
  { name, hash }: { name?: string; hash?: string },
): Promise<void> {
  await db
    .query(
      `update accounts
       set name = coalesce($2, name), password_hash = coalesce($3, password_hash)
       where id = $1`,
      [id, name ?? null, hash ?? null],
    )
    .catch(taken);
  if (name !== undefined) await db.query('update shelves set name = $2 where own_of = $1', [id, name]);
}

/** Whether the demo characters are still to be put on an account's shelf. */
export async function needsDemo(db: Queryable, id: string): Promise<boolean> {
  const { rowCount } = await db.query('select from accounts where id = $1 and not demo_loaded', [id]);
  return rowCount === 1;
}

export async function finishDemo(db: Queryable, id: string): Promise<void> {
  await db.query('update accounts set demo_loaded = true where id = $1', [id]);
}
