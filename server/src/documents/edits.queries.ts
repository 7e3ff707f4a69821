import { skeletonChange, valueChange } from '@judoka/contract';
import type { ValueChange } from '@judoka/core/document';
import type { SkeletonChange } from '@judoka/core/skeleton';
import { z } from 'zod';
import type { Queryable } from '../database.ts';
import type { EditSummary } from './editSummary.ts';

/** A line of the log as it is kept. An undo and a redo are kept without content: theirs is their target's. */
export interface StoredEdit extends EditSummary {
  readonly seq: number;
  readonly id: string;
  readonly kind: 'edit' | 'undo' | 'redo';
  readonly label: string;
  readonly target: string | null;
  /** Weights as {@link storeWeights} keeps them; null where there are none. */
  readonly delta: Buffer | null;
  readonly setups: SkeletonChange | null;
  readonly values: ValueChange | null;
  readonly below: number | null;
  /** Whether what was there before is kept as a moment. */
  readonly isLarge: boolean;
}

/** What a line of the log did, its own content or its target's. */
export interface StoredContent {
  /** As they are kept; see {@link readStoredWeights}. */
  readonly delta: Uint8Array | null;
  readonly joints: SkeletonChange;
  readonly values: ValueChange;
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
  account: string,
  character: string,
  edits: readonly StoredEdit[],
): Promise<void> {
  await db.query(
    `insert into edits (
       character_id, author, seq, id, kind, label, target, delta, joints, changes, below, is_large, points, places, parts,
       touched_joints
     )
     select $1, (select name from accounts where id = $2), seq, id, kind, label, target, delta, joints, changes, below,
            is_large, points, places,
            array(select jsonb_array_elements_text(e_parts)::integer),
            array(select jsonb_array_elements_text(e_joints)::integer)
     from unnest(
       $3::bigint[], $4::uuid[], $5::text[], $6::text[], $7::uuid[], $8::bytea[], $9::jsonb[], $10::jsonb[],
       $11::bigint[], $12::boolean[], $13::integer[], $14::bytea[], $15::jsonb[], $16::jsonb[]
     ) as e (seq, id, kind, label, target, delta, joints, changes, below, is_large, points, places, e_parts, e_joints)`,
    [
      character,
      account,
      edits.map((e) => e.seq),
      edits.map((e) => e.id),
      edits.map((e) => e.kind),
      edits.map((e) => e.label),
      edits.map((e) => e.target),
      edits.map((e) => e.delta),
      edits.map((e) => (e.setups ? JSON.stringify(e.setups) : null)),
      edits.map((e) => (e.values ? JSON.stringify(e.values) : null)),
      edits.map((e) => e.below),
      edits.map((e) => e.isLarge),
      edits.map((e) => e.points),
      edits.map((e) => e.places),
      edits.map((e) => JSON.stringify(e.parts)),
      edits.map((e) => JSON.stringify(e.joints)),
    ],
  );
}

/** One line of the log by its number: what it names, and what is below it. */
export async function findLine(
  db: Queryable,
  character: string,
  seq: number,
): Promise<{ id: string; target: string | null; below: number | null } | undefined> {
  const { rows } = await db.query<{ id: string; target: string | null; below: number | null }>(
    `select id, target, below
     from edits
     where character_id = $1 and seq = $2`,
    [character, seq],
  );
  return rows[0];
}

const contentRow = z.object({
  delta: z.instanceof(Buffer).nullable(),
  pieces: z.number(),
  piecesOf: z.uuid(),
  joints: skeletonChange.nullable(),
  changes: valueChange.nullable(),
});

async function contentOf(db: Queryable, character: string, row: object): Promise<StoredContent> {
  const { delta, pieces, piecesOf, joints, changes } = contentRow.parse(row);
  return {
    delta: pieces > 0 ? await findPieces(db, character, piecesOf, pieces) : delta,
    joints: joints ?? [],
    values: changes ?? [],
  };
}

const CONTENT_COLUMNS = `coalesce(t.delta, e.delta) as delta, greatest(t.pieces, e.pieces) as pieces,
  coalesce(t.id, e.id) as "piecesOf", coalesce(t.joints, e.joints) as joints, coalesce(t.changes, e.changes) as changes`;

/** What an edit did. */
export async function findContent(
  db: Queryable,
  character: string,
  edit: string,
): Promise<StoredContent | undefined> {
  const { rows } = await db.query<object>(
    `select ${CONTENT_COLUMNS}
     from edits e
     left join edits t on t.character_id = e.character_id and t.id = e.target
     where e.character_id = $1 and e.id = $2`,
    [character, edit],
  );
  return rows.length > 0 ? contentOf(db, character, rows[0]) : undefined;
}

export interface LaterEdit extends StoredContent {
  readonly seq: number;
  readonly id: string;
  readonly kind: StoredEdit['kind'];
  readonly label: string;
  readonly target: string | null;
}

const lineRow = z.object({
  seq: z.number(),
  id: z.uuid(),
  kind: z.enum(['edit', 'undo', 'redo']),
  label: z.string(),
  target: z.uuid().nullable(),
});

/**
 * Edits after one number up to another, one at a time: large ones are not all held at once. In order, or the last one first.
 */
export async function* eachEdit(
  db: Queryable,
  character: string,
  after: number,
  upTo: number,
  order: 'asc' | 'desc' = 'asc',
): AsyncGenerator<LaterEdit> {
  for (let done = 0; after + done < upTo; done += EDITS_A_QUERY) {
    const rest = Math.min(EDITS_A_QUERY, upTo - after - done);
    const from = order === 'asc' ? after + done : upTo - done - rest;
    const { rows } = await db.query<object>(
      `select e.seq, e.id, e.kind, e.label, e.target, ${CONTENT_COLUMNS}
       from edits e
       left join edits t on t.character_id = e.character_id and t.id = e.target
       where e.character_id = $1 and e.seq > $2 and e.seq <= $3
       order by e.seq ${order}`,
      [character, from, from + rest],
    );
    for (const row of rows) yield { ...lineRow.parse(row), ...(await contentOf(db, character, row)) };
  }
}

const EDITS_A_QUERY = 16;

/** Edits that can be undone from one of them on downward, or undos that can be redone: what `below` links. */
export async function findStack(
  db: Queryable,
  character: string,
  top: number | null,
  limit: number,
): Promise<{ id: string; label: string; below: number | null }[]> {
  if (top === null) return [];
  const { rows } = await db.query<{ id: string; label: string; below: number | null }>(
    `with recursive stack as (
       select e.seq, coalesce(e.target, e.id) as id, e.label, e.below, 1 as depth
       from edits e
       where e.character_id = $1 and e.seq = $2
       union all
       select e.seq, coalesce(e.target, e.id), e.label, e.below, s.depth + 1
       from stack s
       join edits e on e.character_id = $1 and e.seq = s.below
       where s.depth < $3
     )
     select id, label, below
     from stack
     order by depth`,
    [character, top, limit],
  );
  return rows;
}

/** The number of the edit below one that can be undone; undefined if there is no such edit. */
export async function findBelow(
  db: Queryable,
  character: string,
  edit: string,
): Promise<{ below: number | null } | undefined> {
  const { rows } = await db.query<{ below: number | null }>(
    `select below
     from edits
     where character_id = $1 and id = $2 and kind = 'edit'`,
    [character, edit],
  );
  return rows[0];
}

export async function keepPiece(
  db: Queryable,
  character: string,
  edit: string,
  piece: number,
  bytes: Uint8Array,
): Promise<void> {
  await db.query(
    `insert into edit_pieces (character_id, edit_id, piece, bytes)
     values ($1, $2, $3, $4)
     on conflict (character_id, edit_id, piece) do update set bytes = excluded.bytes
     where not exists (select from edits where edits.character_id = $1 and edits.id = $2)`,
    [character, edit, piece, Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)],
  );
}

/** Pieces joined; null if one is missing. */
export async function findPieces(
  db: Queryable,
  character: string,
  edit: string,
  count: number,
): Promise<Uint8Array | null> {
  const pieces: Buffer[] = [];
  for (let piece = 0; piece < count; piece++) {
    const { rows } = await db.query<{ bytes: Buffer }>(
      `select bytes
       from edit_pieces
       where character_id = $1 and edit_id = $2 and piece = $3`,
      [character, edit, piece],
    );
    if (rows.length === 0) return null;
    pieces.push(rows[0].bytes);
  }
  return Buffer.concat(pieces);
}

/** Pieces that have become an edit, which keeps them as one. */
export async function dropPieces(db: Queryable, character: string, edits: readonly string[]): Promise<void> {
  await db.query('delete from edit_pieces where character_id = $1 and edit_id = any($2::uuid[])', [
    character,
    edits,
  ]);
}

/** Pieces whose edit never came, or that came again after it. */
export async function dropStalePieces(db: Queryable): Promise<void> {
  await db.query(
    `delete from edit_pieces p
     where p.made_at < now() - interval '2 days'
       and not exists (
         select from edits e where e.character_id = p.character_id and e.id = p.edit_id and e.pieces > 0
       )`,
  );
}
