import { characterCard, type CharacterCard } from '@judoka/contract';
import { z } from 'zod';
import type { Queryable } from '../database.ts';
import type { Imported } from '../jobs/FileJobs.ts';

const CARD_COLUMNS = `c.id, c.name, c.summary, c.touched_at`;
const cardRow = z
  .object({
    id: z.uuid(),
    name: z.string(),
    summary: characterCard.pick({ parts: true, points: true, joints: true, troubles: true, arrival: true }),
    touched_at: z.date(),
  })
  .transform(({ id, name, summary, touched_at }): CharacterCard =>
    characterCard.parse({ id, name, ...summary, touchedAt: touched_at.toISOString() }),
  );

export async function listCharacters(db: Queryable, owner: string): Promise<CharacterCard[]> {
  const { rows } = await db.query<object>(
    `select ${CARD_COLUMNS}
     from characters c
     where c.owner_id = $1 and c.removed_at is null and c.arriving_at is null
     order by c.touched_at desc, c.id`,
    [owner],
  );
  return rows.map((row) => cardRow.parse(row));
}

export async function insertCharacter(
  db: Queryable,
  owner: string,
  name: string,
  { summary, picture, skeleton }: Imported,
  { sourceBytes, demo, isArriving }: { sourceBytes: number; demo?: string; isArriving: boolean },
): Promise<CharacterCard> {
  const { rows } = await db.query<object>(
    `insert into characters as c (owner_id, name, summary, picture, source_bytes, skeleton, demo, arriving_at)
     values ($1, $2, $3, $4, $5, $6, $7, case when $8 then now() end)
     returning ${CARD_COLUMNS}`,
    [
      owner,
      name,
      JSON.stringify(summary),
      Buffer.from(picture),
      sourceBytes,
      JSON.stringify(skeleton),
      demo ?? null,
      isArriving,
    ],
  );
  return cardRow.parse(rows[0]);
}

/** Which of the demo's characters an account has, or had. */
export async function findDemoNames(db: Queryable, owner: string): Promise<ReadonlySet<string>> {
  const { rows } = await db.query<{ demo: string }>(
    `select demo
     from characters
     where owner_id = $1 and demo is not null`,
    [owner],
  );
  return new Set(rows.map(({ demo }) => demo));
}

export async function findCard(db: Queryable, owner: string, id: string): Promise<CharacterCard | undefined> {
  const { rows } = await db.query<object>(
    `select ${CARD_COLUMNS}
     from characters c
     where c.id = $1 and c.owner_id = $2 and c.removed_at is null`,
    [id, owner],
  );
  return rows.length > 0 ? cardRow.parse(rows[0]) : undefined;
}

export async function findPicture(
  db: Queryable,
  owner: string,
  character: string,
): Promise<Buffer | undefined> {
  const { rows } = await db.query<{ picture: Buffer | null }>(
    `select picture
     from characters
     where id = $1 and owner_id = $2`,
    [character, owner],
  );
  return rows[0]?.picture ?? undefined;
}

export async function changeCharacter(
  db: Queryable,
  owner: string,
  id: string,
  change: { name?: string; removed?: boolean },
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update characters
     set name = coalesce($3, name),
         removed_at = case when $4::boolean is null then removed_at when $4 then now() else null end
     where id = $1 and owner_id = $2`,
    [id, owner, change.name ?? null, change.removed ?? null],
  );
  return rowCount === 1;
}
