import { characterCard, role, type CharacterCard } from '@judoka/contract';
import { z } from 'zod';
import type { Queryable } from '../database.ts';
import type { Imported } from '../files/FileThreads.ts';
import { mayChange, mayLook, mayManage } from '../people/access.ts';

/** With the account as $1. */
const CARDS = `select c.id, c.name, c.shelf_id, m.role, c.summary, c.head, c.touched_at
  from characters c
  join shelf_members m on m.shelf_id = c.shelf_id and m.account_id = $1`;
const cardRow = z
  .object({
    id: z.uuid(),
    name: z.string(),
    shelf_id: z.uuid(),
    role,
    summary: characterCard
      .pick({ parts: true, points: true, joints: true, troubles: true, arrival: true })
      .extend({ findings: z.array(z.string()).default([]), checkedHead: z.number().default(-1) }),
    head: z.number(),
    touched_at: z.date(),
  })
  .transform(({ id, name, shelf_id, role, summary, head, touched_at }): CharacterCard => {
    const { findings, checkedHead, ...figures } = summary;
    return characterCard.parse({
      ...{ id, name, shelf: shelf_id, role, ...figures, touchedAt: touched_at.toISOString() },
      findings: checkedHead >= 0 ? findings : null,
      isChecked: checkedHead === head,
    });
  });

export async function listCharacters(db: Queryable, account: string): Promise<CharacterCard[]> {
  const { rows } = await db.query<object>(
    `${CARDS}
     where c.removed_at is null and c.arriving_at is null
     order by c.touched_at desc, c.id`,
    [account],
  );
  return rows.map((row) => cardRow.parse(row));
}

export async function findHeadNumber(db: Queryable, character: string): Promise<number | undefined> {
  const { rows } = await db.query<{ head: number }>(
    `select head
     from characters
     where id = $1 and removed_at is null`,
    [character],
  );
  return rows[0]?.head;
}

/** Keeps what was found of a character at a head, unless it has changed meanwhile. */
export async function saveCheck(
  db: Queryable,
  character: string,
  head: number,
  findings: readonly string[],
): Promise<void> {
  await db.query(
    `update characters
     set summary = summary || jsonb_build_object('findings', $3::jsonb, 'checkedHead', $2::integer)
     where id = $1 and head = $2`,
    [character, head, JSON.stringify(findings)],
  );
}

/** Puts a character on a shelf. @returns its id */
export async function insertCharacter(
  db: Queryable,
  shelf: string,
  name: string,
  { summary, picture, skeleton }: Imported,
  {
    id,
    sourceBytes,
    demo,
    isArriving,
  }: { id?: string; sourceBytes: number; demo?: string; isArriving: boolean },
): Promise<string> {
  const { rows } = await db.query<{ id: string }>(
    `insert into characters (shelf_id, name, summary, picture, source_bytes, skeleton, demo, arriving_at, id)
     values ($1, $2, $3, $4, $5, $6, $7, case when $8 then now() end, coalesce($9::uuid, gen_random_uuid()))
     returning id`,
    [
      shelf,
      name,
      JSON.stringify(summary),
      Buffer.from(picture),
      sourceBytes,
      JSON.stringify(skeleton),
      demo ?? null,
      isArriving,
      id ?? null,
    ],
  );
  return rows[0].id;
}

/** Which of the demo's characters a shelf has, or had. */
export async function findDemoNames(db: Queryable, shelf: string): Promise<ReadonlySet<string>> {
  const { rows } = await db.query<{ demo: string }>(
    `select demo
     from characters
     where shelf_id = $1 and demo is not null`,
    [shelf],
  );
  return new Set(rows.map(({ demo }) => demo));
}

export async function findCard(
  db: Queryable,
  account: string,
  id: string,
): Promise<CharacterCard | undefined> {
  const { rows } = await db.query<object>(
    `${CARDS}
     where c.id = $2 and c.removed_at is null`,
    [account, id],
  );
  return rows.length > 0 ? cardRow.parse(rows[0]) : undefined;
}

export async function findPicture(
  db: Queryable,
  account: string,
  character: string,
): Promise<Buffer | undefined> {
  const { rows } = await db.query<{ picture: Buffer | null }>(
    `select picture
     from characters
     where id = $1 and ${mayLook('characters.shelf_id', '$2')}`,
    [character, account],
  );
  return rows[0]?.picture ?? undefined;
}

export async function changeCharacter(
  db: Queryable,
  account: string,
  id: string,
  change: { name?: string; removed?: boolean; shelf?: string },
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update characters
     set name = coalesce($3, name),
         removed_at = case when $4::boolean is null then removed_at when $4 then now() else null end,
         shelf_id = coalesce($5, shelf_id),
         demo = case when $5::uuid is null then demo end
     where id = $1
       and ${mayChange('characters.shelf_id', '$2')}
       and ($5::uuid is null or (${mayManage('characters.shelf_id', '$2')} and ${mayChange('$5', '$2')}))`,
    [id, account, change.name ?? null, change.removed ?? null, change.shelf ?? null],
  );
  return rowCount === 1;
}
