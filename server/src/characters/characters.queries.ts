import { z } from 'zod';
import {
  characterCard,
  characterSettings,
  historyEntry,
  poseBody,
  type CharacterAnswer,
  type CharacterCard,
} from '@judoka/contract';
import type { Queryable } from '../database.ts';
import type { Imported } from '../heavy/heavy.ts';

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
  const { rows } = await db.query(
    `select ${CARD_COLUMNS}
     from characters c
     where c.owner_id = $1 and c.removed_at is null
     order by c.touched_at desc, c.id`,
    [owner],
  );
  return rows.map((row) => cardRow.parse(row));
}

export async function insertCharacter(
  db: Queryable,
  owner: string,
  name: string,
  imported: Imported,
  sourceBytes: number,
): Promise<CharacterCard> {
  const { rows } = await db.query(
    `insert into characters as c (owner_id, name, summary, picture, source_bytes, still_joints)
     values ($1, $2, $3, $4, $5, $6)
     returning ${CARD_COLUMNS}`,
    [
      owner,
      name,
      JSON.stringify(imported.summary),
      Buffer.from(imported.picture),
      sourceBytes,
      imported.still,
    ],
  );
  return cardRow.parse(rows[0]);
}

export async function insertSourcePiece(
  db: Queryable,
  character: string,
  piece: number,
  bytes: Uint8Array,
): Promise<void> {
  await db.query('insert into source_pieces (character_id, piece, bytes) values ($1, $2, $3)', [
    character,
    piece,
    Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength),
  ]);
}

/** One piece of the source of a character of this owner; undefined behind the last. */
export async function findSourcePiece(
  db: Queryable,
  owner: string,
  character: string,
  piece: number,
): Promise<Buffer | undefined> {
  const { rows } = await db.query<{ bytes: Buffer }>(
    `select p.bytes
     from source_pieces p
     join characters c on c.id = p.character_id
     where c.id = $1 and c.owner_id = $2 and p.piece = $3`,
    [character, owner, piece],
  );
  return rows[0]?.bytes;
}

export async function findSourceSize(
  db: Queryable,
  owner: string,
  character: string,
): Promise<number | undefined> {
  const { rows } = await db.query<{ source_bytes: number }>(
    `select source_bytes
     from characters
     where id = $1 and owner_id = $2`,
    [character, owner],
  );
  return rows[0]?.source_bytes;
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

export async function findCharacter(
  db: Queryable,
  owner: string,
  id: string,
): Promise<CharacterAnswer | undefined> {
  const { rows } = await db.query(
    `select ${CARD_COLUMNS}, c.head, c.locked_joints, c.still_joints, c.settings, p.joints as pose
     from characters c
     left join poses p on p.character_id = c.id and p.name is null
     where c.id = $1 and c.owner_id = $2 and c.removed_at is null`,
    [id, owner],
  );
  if (rows.length === 0) return undefined;
  const extra = z.object({
    head: z.number(),
    locked_joints: z.array(z.number()),
    still_joints: z.array(z.number()),
    settings: characterSettings,
    pose: poseBody.shape.joints.nullable(),
  });
  const { head, locked_joints, still_joints, settings, pose } = extra.parse(rows[0]);
  const history = await db.query(
    `select id, kind, label, target
     from edits
     where character_id = $1 and seq <= $2
     order by seq`,
    [id, head],
  );
  const entries = history.rows.map((row) => historyEntry.parse({ ...row, target: row.target ?? undefined }));
  return {
    ...cardRow.parse(rows[0]),
    head,
    history: entries,
    locks: locked_joints,
    still: still_joints,
    settings,
    pose: pose ?? {},
  };
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

export async function keepPose(
  db: Queryable,
  owner: string,
  character: string,
  joints: unknown,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `insert into poses (character_id, name, joints)
     select id, null, $3
     from characters
     where id = $1 and owner_id = $2
     on conflict (character_id) where name is null do update set joints = excluded.joints, kept_at = now()`,
    [character, owner, JSON.stringify(joints)],
  );
  return rowCount === 1;
}

/** Which joints are locked, and whose deforming is off; what is missing stays. */
export async function keepJoints(
  db: Queryable,
  owner: string,
  character: string,
  { locked, still }: { locked?: number[]; still?: number[] },
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update characters
     set locked_joints = coalesce($3::integer[], locked_joints),
         still_joints = coalesce($4::integer[], still_joints)
     where id = $1 and owner_id = $2`,
    [character, owner, locked ?? null, still ?? null],
  );
  return rowCount === 1;
}
