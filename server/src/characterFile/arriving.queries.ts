import type { Queryable } from '../database.ts';

/** A character file is in: its character shows on the shelf, its edits as old as they were, and by nobody who is known here. */
export async function finishArriving(
  db: Queryable,
  character: string,
  madeAt: readonly string[],
): Promise<void> {
  await db.query(
    `update edits e
     set made_at = m.at, author = null
     from unnest($2::timestamptz[]) with ordinality as m (at, seq)
     where e.character_id = $1 and e.seq = m.seq`,
    [character, madeAt],
  );
  await db.query('update characters set arriving_at = null, touched_at = now() where id = $1', [character]);
}

export async function dropArriving(db: Queryable, character: string): Promise<void> {
  await db.query('delete from characters where id = $1 and arriving_at is not null', [character]);
}

/** Character files whose coming in was interrupted. */
export async function dropStaleArrivals(db: Queryable): Promise<void> {
  await db.query(`delete from characters where arriving_at < now() - interval '1 day'`);
}
