import { jointSetups, role, type Role } from '@judoka/contract';
import type { DocumentValues, Json } from '@judoka/core/document';
import type { Joint, JointSetups } from '@judoka/core/skeleton';
import { z } from 'zod';
import type { Queryable } from '../database.ts';
import { mayChange, mayLook } from '../people/access.ts';

/** Where a character's log stands. */
export interface Head {
  readonly head: number;
  readonly name: string;
  /** What the account may do with it. */
  readonly role: Role;
  readonly arrival: readonly string[];
  /** Which parts have weights of their own. */
  readonly skinned: readonly boolean[];
  /** Joints as the file has them; null for a character that came before they were kept. */
  readonly skeleton: readonly Joint[] | null;
  readonly setups: JointSetups;
  readonly undoTop: number | null;
  readonly redoTop: number | null;
  /** Another one after the place was restored from a backup: what was held of it before does not count. */
  readonly epoch: string;
}

const headRow = z
  .object({
    head: z.number(),
    name: z.string(),
    role,
    arrival: z.array(z.string()),
    skinned: z.array(z.boolean()).nullable(),
    skeleton: z.array(z.custom<Joint>()).nullable(),
    setups: jointSetups,
    undo_top: z.number().nullable(),
    redo_top: z.number().nullable(),
    epoch: z.string(),
  })
  .transform(({ undo_top, redo_top, skinned, ...rest }): Head => ({
    ...rest,
    skinned: skinned ?? [],
    undoTop: undo_top,
    redoTop: redo_top,
  }));

/** With the account as $2. */
const HEAD_COLUMNS = `head, characters.name,
  (select m.role from shelf_members m where m.shelf_id = characters.shelf_id and m.account_id = $2) as role, summary -> 'arrival' as arrival, summary -> 'skinned' as skinned, skeleton,
  joint_setups as setups, undo_top, redo_top,
  coalesce((select value from place where place.name = 'epoch'), '') as epoch`;

export async function findHead(db: Queryable, account: string, character: string): Promise<Head | undefined> {
  const { rows } = await db.query<object>(
    `select ${HEAD_COLUMNS}
     from characters
     where id = $1 and ${mayLook('characters.shelf_id', '$2')} and removed_at is null`,
    [character, account],
  );
  return rows.length > 0 ? headRow.parse(rows[0]) : undefined;
}

/** The head of a character that the account may change, held against other writers until the transaction ends. */
export async function lockHead(db: Queryable, account: string, character: string): Promise<Head | undefined> {
  const { rows } = await db.query<object>(
    `select ${HEAD_COLUMNS}
     from characters
     where id = $1 and ${mayChange('characters.shelf_id', '$2')} and removed_at is null
     for update`,
    [character, account],
  );
  return rows.length > 0 ? headRow.parse(rows[0]) : undefined;
}

export interface NextHead {
  readonly head: number;
  readonly undoTop: number | null;
  readonly redoTop: number | null;
  readonly setups: JointSetups;
  readonly jointCount: number;
  /** What is wrong with the weights now; undefined where they did not change. */
  readonly troubles: readonly string[] | undefined;
}

export async function moveHead(db: Queryable, character: string, next: NextHead): Promise<void> {
  await db.query(
    `update characters
     set head = $2,
         touched_at = now(),
         undo_top = $3,
         redo_top = $4,
         joint_setups = $5,
         summary = summary
           || jsonb_build_object('joints', $6::integer)
           || case when $7::jsonb is null then '{}' else jsonb_build_object('troubles', $7::jsonb) end
     where id = $1`,
    [
      character,
      next.head,
      next.undoTop,
      next.redoTop,
      JSON.stringify(next.setups),
      next.jointCount,
      next.troubles ? JSON.stringify(next.troubles) : null,
    ],
  );
}

/** Tells all servers that a character's head is another one, once the transaction is committed. */
export async function notifyHead(db: Queryable, character: string, head: number): Promise<void> {
  await db.query(`select pg_notify('judoka_heads', $1)`, [`${character} ${head}`]);
}

export async function keepSkeleton(
  db: Queryable,
  character: string,
  joints: readonly Joint[],
): Promise<void> {
  await db.query(`update characters set skeleton = $2 where id = $1`, [character, JSON.stringify(joints)]);
}

export async function findValues(db: Queryable, character: string): Promise<DocumentValues> {
  const { rows } = await db.query<{ path: string; value: Json }>(
    `select path, value
     from document_values
     where character_id = $1`,
    [character],
  );
  return Object.fromEntries(rows.map(({ path, value }) => [path, value]));
}

/** Puts values at paths; null takes one away. */
export async function keepValues(
  db: Queryable,
  character: string,
  values: ReadonlyMap<string, Json>,
): Promise<void> {
  if (values.size === 0) return;
  const gone = [...values].flatMap(([path, value]) => (value === null ? [path] : []));
  const held = [...values].filter(([, value]) => value !== null);
  if (gone.length > 0)
    await db.query(`delete from document_values where character_id = $1 and path = any($2::text[])`, [
      character,
      gone,
    ]);
  if (held.length === 0) return;
  await db.query(
    `insert into document_values (character_id, path, value)
     select $1, v.path, v.value
     from unnest($2::text[], $3::jsonb[]) as v (path, value)
     on conflict (character_id, path) do update set value = excluded.value`,
    [character, held.map(([path]) => path), held.map(([, value]) => JSON.stringify(value))],
  );
}
