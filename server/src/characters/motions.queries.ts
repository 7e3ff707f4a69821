import { keptMotion, type KeptMotion, type MotionChange } from '@judoka/contract';
import type { Queryable } from '../database.ts';

// Motions that were dropped on a character.

export async function listMotions(db: Queryable, owner: string, character: string): Promise<KeptMotion[]> {
  const { rows } = await db.query(
    `select m.id, m.name, m.follows
     from motions m
     join characters c on c.id = m.character_id
     where c.id = $1 and c.owner_id = $2
     order by m.kept_at, m.id`,
    [character, owner],
  );
  return rows.map((row) => keptMotion.parse(row));
}

/** Motions that a character keeps at most. */
export const MOST_MOTIONS = 100;

/** @returns the new motion's id; undefined if the character is not this owner's, or keeps as many as it may */
export async function insertMotion(
  db: Queryable,
  owner: string,
  character: string,
  name: string,
  bytes: Uint8Array,
): Promise<string | undefined> {
  const { rows } = await db.query<{ id: string }>(
    `insert into motions (character_id, name, bytes)
     select id, $3, $4
     from characters
     where id = $1 and owner_id = $2 and (select count(*) from motions where character_id = $1) < $5
     returning id`,
    [character, owner, name, Buffer.from(bytes), MOST_MOTIONS],
  );
  return rows[0]?.id;
}

export async function motionBytes(
  db: Queryable,
  owner: string,
  character: string,
  motion: string,
): Promise<Buffer | undefined> {
  const { rows } = await db.query<{ bytes: Buffer }>(
    `select m.bytes
     from motions m
     join characters c on c.id = m.character_id
     where m.id = $3 and c.id = $1 and c.owner_id = $2`,
    [character, owner, motion],
  );
  return rows[0]?.bytes;
}

export async function changeMotion(
  db: Queryable,
  owner: string,
  character: string,
  motion: string,
  { name, follows }: MotionChange,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update motions m
     set name = coalesce($4, m.name), follows = coalesce($5, m.follows)
     from characters c
     where m.id = $3 and m.character_id = $1 and c.id = $1 and c.owner_id = $2`,
    [character, owner, motion, name ?? null, follows ? JSON.stringify(follows) : null],
  );
  return rowCount === 1;
}

export async function removeMotion(
  db: Queryable,
  owner: string,
  character: string,
  motion: string,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `delete from motions m
     using characters c
     where m.id = $3 and m.character_id = $1 and c.id = $1 and c.owner_id = $2`,
    [character, owner, motion],
  );
  return rowCount === 1;
}
