import { ensureLocalAccount } from '../accounts/accounts.queries.ts';
import { transaction, type Database, type Queryable } from '../database.ts';
import { insertOwnShelf, ownShelf, putOnShelf } from '../people/shelves.queries.ts';

/** A character of another place, and whose it is there. */
export interface Elsewhere {
  readonly id: string;
  readonly name: string;
  /** Somebody who owns its shelf. */
  readonly account: { readonly id: string; readonly name: string; readonly isLocal: boolean };
  readonly shelf: { readonly id: string; readonly name: string; readonly isOwn: boolean };
}

/** The characters on all shelves, the one that was touched last at the end. */
export async function listEverything(db: Queryable): Promise<Elsewhere[]> {
  const { rows } = await db.query<Elsewhere>(
    `select c.id, c.name,
            json_build_object('id', a.id, 'name', a.name, 'isLocal', a.is_local) as account,
            json_build_object('id', s.id, 'name', s.name, 'isOwn', s.own_of is not null) as shelf
     from characters c
     join shelves s on s.id = c.shelf_id
     join lateral (
       select account_id from shelf_members m
       where m.shelf_id = s.id and m.role = 'owner'
       order by m.account_id = s.own_of desc, m.since
       limit 1
     ) owner on true
     join accounts a on a.id = owner.account_id
     where c.removed_at is null and c.arriving_at is null
     order by c.touched_at`,
  );
  return rows;
}

/** The account here that one of another place stands for: the same one, one of that name, or a new one. */
async function findTwin(database: Database, { id, name, isLocal }: Elsewhere['account']): Promise<string> {
  if (isLocal) return (await ensureLocalAccount(database)).id;
  return transaction(database, async (db) => {
    const { rows } = await db.query<{ id: string }>(
      `select id
       from accounts
       where id = $1 or lower(name) = lower($2)
       order by id = $1 desc
       limit 1`,
      [id, name],
    );
    if (rows.length > 0) return rows[0].id;
    await db.query('insert into accounts (id, name) values ($1, $2)', [id, name]);
    await insertOwnShelf(db, id, name);
    return id;
  });
}

/** The shelf here that one of another place stands for, and whose it is. */
export async function findTwinShelf(
  database: Database,
  { account, shelf }: Elsewhere,
): Promise<{ account: string; shelf: string }> {
  const twin = await findTwin(database, account);
  if (shelf.isOwn) return { account: twin, shelf: await ownShelf(database, twin) };
  return transaction(database, async (db) => {
    await db.query('insert into shelves (id, name) values ($1, $2) on conflict (id) do nothing', [
      shelf.id,
      shelf.name,
    ]);
    await putOnShelf(db, shelf.id, twin, 'owner');
    return { account: twin, shelf: shelf.id };
  });
}
