import { jointSetups, skeletonChange } from '@judoka/contract';
import type { JointSetups, SkeletonChange } from '@judoka/core/skeleton';
import { z } from 'zod';
import type { Queryable } from '../database.ts';

export interface StoredEdit {
  readonly seq: number;
  readonly id: string;
  readonly kind: 'edit' | 'undo' | 'redo';
  readonly label: string;
  readonly target: string | null;
  readonly delta: Buffer | null;
  /** What it does to joints; for an undo, what its target did. */
  readonly joints: SkeletonChange | null;
}

export interface LockedHead {
  readonly head: number;
  /** Which parts have weights of their own. */
  readonly skinned: readonly boolean[];
  readonly setups: JointSetups;
}

/** The head of a character of this owner, held against other writers until the transaction ends. */
export async function lockHead(
  db: Queryable,
  owner: string,
  character: string,
): Promise<LockedHead | undefined> {
  const { rows } = await db.query<LockedHead>(
    `select head, summary -> 'skinned' as skinned, joint_setups as setups
     from characters
     where id = $1 and owner_id = $2
     for update`,
    [character, owner],
  );
  return rows[0];
}

export interface Head {
  readonly head: number;
  readonly setups: JointSetups;
}

export async function findHead(db: Queryable, owner: string, character: string): Promise<Head | undefined> {
  const { rows } = await db.query<Head>(
    `select head, joint_setups as setups
     from characters
     where id = $1 and owner_id = $2`,
    [character, owner],
  );
  return rows[0] && { head: rows[0].head, setups: jointSetups.parse(rows[0].setups) };
}

/** Which of these ids are in the log already, and under which numbers. */
export async function findKnownEdits(
  db: Queryable,
  character: string,
  ids: string[],
): Promise<Map<string, number>> {
  const { rows } = await db.query<{ id: string; seq: number }>(
    `select id, seq
     from edits
     where character_id = $1 and id = any($2::uuid[])`,
    [character, ids],
  );
  return new Map(rows.map(({ id, seq }) => [id, seq]));
}

export async function insertEdits(
  db: Queryable,
  character: string,
  edits: readonly StoredEdit[],
): Promise<void> {
  await db.query(
    `insert into edits (character_id, seq, id, kind, label, target, delta, joints)
     select $1, e.seq, e.id, e.kind, e.label, e.target, e.delta, e.joints
     from unnest($2::bigint[], $3::uuid[], $4::text[], $5::text[], $6::uuid[], $7::bytea[], $8::jsonb[])
       as e (seq, id, kind, label, target, delta, joints)`,
    [
      character,
      edits.map((e) => e.seq),
      edits.map((e) => e.id),
      edits.map((e) => e.kind),
      edits.map((e) => e.label),
      edits.map((e) => e.target),
      edits.map((e) => e.delta),
      edits.map((e) => e.joints && JSON.stringify(e.joints)),
    ],
  );
}

/** The head, what is wrong with the weights there, how the joints stand, and how many more there are than before. */
export async function moveHead(
  db: Queryable,
  character: string,
  head: number,
  troubles: readonly string[],
  setups: JointSetups,
  moreJoints: number,
): Promise<void> {
  await db.query(
    `update characters
     set head = $2,
         touched_at = now(),
         joint_setups = $4,
         summary = summary || jsonb_build_object(
           'troubles', $3::jsonb, 'joints', (summary ->> 'joints')::integer + $5::integer
         )
     where id = $1`,
    [character, head, JSON.stringify(troubles), JSON.stringify(setups), moreJoints],
  );
}

const editRow = z.object({
  seq: z.number(),
  id: z.uuid(),
  kind: z.enum(['edit', 'undo', 'redo']),
  label: z.string(),
  target: z.uuid().nullable(),
  delta: z.instanceof(Buffer).nullable(),
  joints: skeletonChange.nullable(),
});

/** Edits after one number up to another, with the delta that each stands for (an undo's is its target's). */
export async function findEdits(
  db: Queryable,
  character: string,
  after: number,
  upTo: number,
): Promise<StoredEdit[]> {
  const { rows } = await db.query(
    `select e.seq, e.id, e.kind, e.label, e.target, coalesce(e.delta, t.delta) as delta,
            coalesce(e.joints, t.joints) as joints
     from edits e
     left join edits t on t.character_id = e.character_id and t.id = e.target
     where e.character_id = $1 and e.seq > $2 and e.seq <= $3
     order by e.seq`,
    [character, after, upTo],
  );
  return rows.map((row) => editRow.parse(row));
}

/** What an edit did: to weights, and to joints. */
export async function findContent(
  db: Queryable,
  owner: string,
  character: string,
  edit: string,
): Promise<{ delta: Uint8Array; joints: SkeletonChange } | undefined> {
  const { rows } = await db.query<{ delta: Buffer | null; joints: unknown }>(
    `select e.delta, e.joints
     from edits e
     join characters c on c.id = e.character_id
     where c.id = $1 and c.owner_id = $2 and e.id = $3`,
    [character, owner, edit],
  );
  if (!rows[0]?.delta) return undefined;
  return { delta: rows[0].delta, joints: skeletonChange.parse(rows[0].joints ?? []) };
}

export async function insertCheckpoint(
  db: Queryable,
  character: string,
  seq: number,
  weights: Uint8Array,
): Promise<void> {
  await db.query(
    `insert into checkpoints (character_id, seq, weights)
     values ($1, $2, $3)
     on conflict (character_id, seq) do nothing`,
    [character, seq, Buffer.from(weights.buffer, weights.byteOffset, weights.byteLength)],
  );
}

export async function findCheckpoint(
  db: Queryable,
  character: string,
  upTo: number,
): Promise<{ seq: number; weights: Buffer } | undefined> {
  const { rows } = await db.query<{ seq: number; weights: Buffer }>(
    `select seq, weights
     from checkpoints
     where character_id = $1 and seq <= $2
     order by seq desc
     limit 1`,
    [character, upTo],
  );
  return rows[0];
}
