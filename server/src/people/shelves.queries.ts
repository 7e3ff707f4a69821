import { shelf, type Role, type Shelf } from '@judoka/contract';
import type { Queryable } from '../database.ts';
import { RequestError } from '../http/requestError.ts';
import { guestRefusal, mayManage } from './access.ts';

/** SQL: what a shelf is called towards an account; somebody's own is called after them. */
export const shelfName = (account: string): string =>
  `case when s.own_of is not null and s.own_of <> ${account} then s.name || '’s shelf' else s.name end`;

/** The shelves that an account is on, its own first. */
export async function listShelves(db: Queryable, account: string): Promise<Shelf[]> {
  const { rows } = await db.query<object>(
    `select s.id, ${shelfName('$1')} as name, coalesce(s.own_of = $1, false) as "isOwn", m.role,
            (select count(*) from shelf_members each where each.shelf_id = s.id) as people
     from shelves s
     join shelf_members m on m.shelf_id = s.id and m.account_id = $1
     order by coalesce(s.own_of = $1, false) desc, lower(s.name), s.id`,
    [account],
  );
  return rows.map((row) => shelf.parse(row));
}

/** The shelf that is an account's own. */
export async function ownShelf(db: Queryable, account: string): Promise<string> {
  const { rows } = await db.query<{ id: string }>('select id from shelves where own_of = $1', [account]);
  return rows[0].id;
}

export async function findShelfRole(
  db: Queryable,
  account: string,
  wanted: string,
): Promise<Role | undefined> {
  const { rows } = await db.query<{ role: Role }>(
    'select role from shelf_members where shelf_id = $1 and account_id = $2',
    [wanted, account],
  );
  return rows[0]?.role;
}

export const missingShelf = (): RequestError =>
  new RequestError('not-found', 'This shelf does not exist, or you are not on it.');

/** The shelf that something is to be put on: the one that is named, or the account's own. */
export async function findShelfToFill(db: Queryable, account: string, wanted?: string): Promise<string> {
  if (wanted === undefined) return ownShelf(db, account);
  const role = await findShelfRole(db, account, wanted);
  if (!role) throw missingShelf();
  if (role === 'guest') throw guestRefusal();
  return wanted;
}

/** Makes a team's shelf with its first owner. */
export async function insertShelf(db: Queryable, account: string, name: string): Promise<string> {
  const { rows } = await db.query<{ id: string }>('insert into shelves (name) values ($1) returning id', [
    name,
  ]);
  await putOnShelf(db, rows[0].id, account, 'owner');
  return rows[0].id;
}

/** Makes the shelf of a new account. */
export async function insertOwnShelf(db: Queryable, account: string, name: string): Promise<void> {
  await db.query(
    `with made as (
       insert into shelves (name, own_of) values ($2, $1) on conflict (own_of) do nothing returning id
     )
     insert into shelf_members (shelf_id, account_id, role) select id, $1, 'owner' from made`,
    [account, name],
  );
}

export async function renameShelf(
  db: Queryable,
  account: string,
  id: string,
  name: string,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update shelves set name = $3 where id = $1 and ${mayManage('shelves.id', '$2')}`,
    [id, account, name],
  );
  return rowCount === 1;
}

/** Puts somebody on a shelf; whoever is on it already keeps the greater role. */
export async function putOnShelf(db: Queryable, id: string, account: string, role: Role): Promise<void> {
  await db.query(
    `insert into shelf_members as m (shelf_id, account_id, role)
     values ($1, $2, $3)
     on conflict (shelf_id, account_id) do update
     set role = case
       when 'owner' in (m.role, excluded.role) then 'owner'
       when 'painter' in (m.role, excluded.role) then 'painter'
       else 'guest'
     end`,
    [id, account, role],
  );
}
