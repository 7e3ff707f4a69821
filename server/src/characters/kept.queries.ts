import { keptPose, type CharacterSettings, type KeptPose } from '@judoka/contract';
import type { Queryable } from '../database.ts';

// What is kept beside the weights: poses and selections under names, and how a character is worked on.

export async function keepSettings(
  db: Queryable,
  owner: string,
  character: string,
  settings: CharacterSettings,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update characters
     set settings = $3
     where id = $1 and owner_id = $2`,
    [character, owner, JSON.stringify(settings)],
  );
  return rowCount === 1;
}

export async function listPoses(db: Queryable, owner: string, character: string): Promise<KeptPose[]> {
  const { rows } = await db.query(
    `select p.id, p.name, p.joints, p.picture, p.joint
     from poses p
     join characters c on c.id = p.character_id
     where c.id = $1 and c.owner_id = $2 and p.name is not null
     order by p.kept_at, p.id`,
    [character, owner],
  );
  return rows.map((row) => keptPose.parse(row));
}

/** Poses and selections that a character keeps at most. */
export const MOST_POSES = 300;
export const MOST_SELECTIONS = 200;

/** How many poses a character keeps. */
export async function countPoses(db: Queryable, character: string): Promise<number> {
  const { rows } = await db.query<{ count: number }>(
    `select count(*)::integer as count
     from poses
     where character_id = $1 and name is not null`,
    [character],
  );
  return rows[0].count;
}

/** @returns the new pose's id; undefined if the character is not this owner's or has a pose of that name */
export async function insertPose(
  db: Queryable,
  owner: string,
  character: string,
  { name, joints, picture, joint }: Omit<KeptPose, 'id'>,
): Promise<string | undefined> {
  const { rows } = await db.query<{ id: string }>(
    `insert into poses (character_id, name, joints, picture, joint)
     select id, $3, $4, $5, $6
     from characters
     where id = $1 and owner_id = $2
     on conflict (character_id, name) where name is not null do nothing
     returning id`,
    [character, owner, name, JSON.stringify(joints), picture, joint],
  );
  return rows[0]?.id;
}

/** @returns whether there was such a pose */
export async function changePose(
  db: Queryable,
  owner: string,
  character: string,
  pose: string,
  { name, joints, picture, joint }: Partial<Omit<KeptPose, 'id'>>,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update poses p
     set name = coalesce($4, p.name), joints = coalesce($5, p.joints), picture = coalesce($6, p.picture),
       joint = case when $7 then $8 else p.joint end
     from characters c
     where p.id = $3 and p.character_id = $1 and p.name is not null and c.id = $1 and c.owner_id = $2`,
    [
      character,
      owner,
      pose,
      name ?? null,
      joints ? JSON.stringify(joints) : null,
      picture ?? null,
      joint !== undefined,
      joint ?? null,
    ],
  );
  return rowCount === 1;
}

export async function removePose(
  db: Queryable,
  owner: string,
  character: string,
  pose: string,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `delete from poses p
     using characters c
     where p.id = $3 and p.character_id = $1 and p.name is not null and c.id = $1 and c.owner_id = $2`,
    [character, owner, pose],
  );
  return rowCount === 1;
}

export interface StoredSelection {
  readonly id: string;
  readonly name: string;
  /** A frame: header `{parts}`, a blob of points a part. */
  readonly points: Buffer;
}

export async function listSelections(
  db: Queryable,
  owner: string,
  character: string,
): Promise<StoredSelection[]> {
  const { rows } = await db.query<StoredSelection>(
    `select s.id, s.name, s.points
     from selections s
     join characters c on c.id = s.character_id
     where c.id = $1 and c.owner_id = $2
     order by s.kept_at, s.id`,
    [character, owner],
  );
  return rows;
}

/** @returns the new selection's id; undefined if the character is not this owner's, or keeps as many as it may */
export async function insertSelection(
  db: Queryable,
  owner: string,
  character: string,
  name: string,
  points: Uint8Array,
): Promise<string | undefined> {
  const { rows } = await db.query<{ id: string }>(
    `insert into selections (character_id, name, points)
     select id, $3, $4
     from characters
     where id = $1 and owner_id = $2 and (select count(*) from selections where character_id = $1) < $5
     returning id`,
    [character, owner, name, Buffer.from(points), MOST_SELECTIONS],
  );
  return rows[0]?.id;
}

export async function renameSelection(
  db: Queryable,
  owner: string,
  character: string,
  selection: string,
  name: string,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update selections s
     set name = $4
     from characters c
     where s.id = $3 and s.character_id = $1 and c.id = $1 and c.owner_id = $2`,
    [character, owner, selection, name],
  );
  return rowCount === 1;
}

export async function removeSelection(
  db: Queryable,
  owner: string,
  character: string,
  selection: string,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `delete from selections s
     using characters c
     where s.id = $3 and s.character_id = $1 and c.id = $1 and c.owner_id = $2`,
    [character, owner, selection],
  );
  return rowCount === 1;
}
