import type { Queryable } from '../database.ts';
import { mayChange, mayLook } from '../people/access.ts';

/** Keeps bytes under an id; a repeat changes nothing. @returns whether the account may change the character */
export async function keepAttachment(
  db: Queryable,
  account: string,
  character: string,
  id: string,
  bytes: Uint8Array,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `insert into attachments (character_id, id, bytes)
     select c.id, $3, $4
     from characters c
     where c.id = $1 and ${mayChange('c.shelf_id', '$2')}
     on conflict (character_id, id) do update set made_at = attachments.made_at`,
    [character, account, id, Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)],
  );
  return rowCount === 1;
}

export async function findAttachment(
  db: Queryable,
  account: string,
  character: string,
  id: string,
): Promise<Buffer | undefined> {
  const { rows } = await db.query<{ bytes: Buffer }>(
    `select a.bytes
     from attachments a
     join characters c on c.id = a.character_id
     where c.id = $1 and ${mayLook('c.shelf_id', '$2')} and a.id = $3`,
    [character, account, id],
  );
  return rows[0]?.bytes;
}

/** Which of these attachments are not there. */
export async function missingAttachments(db: Queryable, character: string, ids: string[]): Promise<string[]> {
  if (ids.length === 0) return [];
  const { rows } = await db.query<{ id: string }>(
    `select wanted.id
     from unnest($2::uuid[]) as wanted (id)
     left join attachments a on a.character_id = $1 and a.id = wanted.id
     where a.id is null`,
    [character, ids],
  );
  return rows.map(({ id }) => id);
}
