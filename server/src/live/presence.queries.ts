import { presentPerson, type PresentPerson } from '@judoka/contract';
import type { Queryable } from '../database.ts';
import { mayLook } from '../people/access.ts';
import type { News } from './LiveEvents.ts';

/** A page that was not heard of for so long is gone: three times of what a page lets pass. */
const GONE = `interval '70 seconds'`;

/** Tells all servers that something about a character is new. */
export async function notifyNews(db: Queryable, character: string, what: News): Promise<void> {
  await db.query(`select pg_notify('judoka_news', $1)`, [`${character} ${what}`]);
}

/** Notes that a page has a character open. @returns whether others see a difference; undefined where it may not be seen */
export async function keepPresence(
  db: Queryable,
  account: string,
  character: string,
  page: string,
  joint: number | null,
): Promise<boolean | undefined> {
  await db.query(`delete from presence where seen_at < now() - ${GONE}`);
  const { rows } = await db.query<{ isNews: boolean }>(
    `with before as (select joint from presence where character_id = $1 and page = $3)
     insert into presence as p (character_id, page, account_id, joint)
     select c.id, $3, $2, $4
     from characters c
     where c.id = $1 and c.removed_at is null and ${mayLook('c.shelf_id', '$2')}
     on conflict (character_id, page) do update set joint = excluded.joint, seen_at = now()
     where p.account_id = $2
     returning coalesce((select joint is distinct from $4::integer from before), true) as "isNews"`,
    [character, account, page, joint],
  );
  return rows[0]?.isNews;
}

export async function dropPresence(
  db: Queryable,
  account: string,
  character: string,
  page: string,
): Promise<boolean> {
  const { rowCount } = await db.query(
    'delete from presence where character_id = $1 and page = $2 and account_id = $3',
    [character, page, account],
  );
  return rowCount === 1;
}

/** Who has a character open now. */
export async function listPresent(
  db: Queryable,
  account: string,
  character: string,
): Promise<PresentPerson[]> {
  const { rows } = await db.query<object>(
    `select p.page, a.name, p.account_id = $2 as "isMe", p.joint
     from presence p
     join accounts a on a.id = p.account_id
     where p.character_id = $1 and p.seen_at > now() - ${GONE}
     order by a.name, p.page`,
    [character, account],
  );
  return rows.map((row) => presentPerson.parse(row));
}
