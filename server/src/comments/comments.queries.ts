import { comment, type Comment, type NewComment } from '@judoka/contract';
import { z } from 'zod';
import type { Queryable } from '../database.ts';
import { mayChange, mayLook } from '../people/access.ts';

const row = z
  .object({
    id: z.uuid(),
    by: z.string(),
    isMine: z.boolean(),
    text: z.string(),
    part: z.number().nullable(),
    point: z.number().nullable(),
    joint: z.number().nullable(),
    made_at: z.date(),
    settled_at: z.date().nullable(),
  })
  .transform(({ part, point, made_at, settled_at, ...rest }): Comment =>
    comment.parse({
      ...rest,
      place: part === null || point === null ? null : { part, point },
      madeAt: made_at.toISOString(),
      settledAt: settled_at?.toISOString() ?? null,
    }),
  );

/** What was said about a character, in order. */
export async function listComments(db: Queryable, account: string, character: string): Promise<Comment[]> {
  const { rows } = await db.query<object>(
    `select k.id, a.name as by, k.account_id = $2 as "isMine", k.text, k.part, k.point, k.joint, k.made_at, k.settled_at
     from comments k
     join characters c on c.id = k.character_id
     join accounts a on a.id = k.account_id
     where k.character_id = $1 and ${mayLook('c.shelf_id', '$2')}
     order by k.made_at, k.id`,
    [character, account],
  );
  return rows.map((each) => row.parse(each));
}

/** Keeps a comment; a repeat changes nothing. @returns whether the account may look at the character */
export async function insertComment(
  db: Queryable,
  account: string,
  character: string,
  { id, text, place, joint }: NewComment,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `insert into comments as k (id, character_id, account_id, text, part, point, joint)
     select $3, c.id, $2, $4, $5, $6, $7
     from characters c
     where c.id = $1 and c.removed_at is null and ${mayLook('c.shelf_id', '$2')}
     on conflict (id) do update set text = k.text
     where k.character_id = $1 and k.account_id = $2`,
    [character, account, id, text, place?.part ?? null, place?.point ?? null, joint],
  );
  return rowCount === 1;
}

/** Changes a comment's text, if it is the account's; settles it, if it is or the account may change the character. */
export async function changeComment(
  db: Queryable,
  account: string,
  character: string,
  id: string,
  { text, settled }: { text?: string; settled?: boolean },
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update comments k
     set text = coalesce($4, k.text),
         settled_at = case when $5::boolean is null then k.settled_at when $5 then now() else null end
     from characters c
     where k.id = $3 and k.character_id = $1 and c.id = k.character_id
       and ${mayLook('c.shelf_id', '$2')}
       and (k.account_id = $2 or ($4::text is null and ${mayChange('c.shelf_id', '$2')}))`,
    [character, account, id, text ?? null, settled ?? null],
  );
  return rowCount === 1;
}

/** Takes a comment of the account's own away. */
export async function dropComment(
  db: Queryable,
  account: string,
  character: string,
  id: string,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `delete from comments k
     using characters c
     where k.id = $3 and k.character_id = $1 and c.id = k.character_id and k.account_id = $2
       and ${mayLook('c.shelf_id', '$2')}`,
    [character, account, id],
  );
  return rowCount === 1;
}
