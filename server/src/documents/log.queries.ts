import { skeletonChange, valueChange, type HistoryLine, type LogQuery } from '@judoka/contract';
import type { ValueChange } from '@judoka/core/document';
import type { SkeletonChange } from '@judoka/core/skeleton';
import { z } from 'zod';
import type { Queryable } from '../database.ts';
import type { EditSummary } from './editSummary.ts';

const historyRow = z
  .object({
    seq: z.number(),
    id: z.uuid(),
    kind: z.enum(['edit', 'undo', 'redo']),
    label: z.string(),
    author: z.string().nullable(),
    made_at: z.date(),
    is_large: z.boolean(),
    points: z.number().nullable(),
    parts: z.array(z.number()).nullable(),
    touched_joints: z.array(z.number()).nullable(),
  })
  .transform(({ made_at, is_large, points, parts, touched_joints, ...rest }): HistoryLine => ({
    ...rest,
    madeAt: made_at.toISOString(),
    isLarge: is_large,
    points: points ?? 0,
    parts: parts ?? [],
    joints: touched_joints ?? [],
  }));

const HISTORY_COLUMNS = 'seq, id, kind, label, author, made_at, is_large, points, parts, touched_joints';

/** Lines of a log that fit a search, the last one first. */
export async function findLines(
  db: Queryable,
  character: string,
  { before, limit, text, joints, parts, large }: LogQuery,
): Promise<HistoryLine[]> {
  const isSearch = text !== '' || joints.length > 0 || parts.length > 0;
  const { rows } = await db.query<object>(
    `select ${HISTORY_COLUMNS}
     from edits
     where character_id = $1
       and seq < $2
       and (not $3 or is_large)
       and (
         not $4
         or ($5 <> '' and (position(lower($5) in lower(label)) > 0 or position(lower($5) in lower(author)) > 0))
         or touched_joints && $6::integer[]
         or parts && $7::integer[]
       )
     order by seq desc
     limit $8`,
    [character, before, large, isSearch, text, joints, parts, limit],
  );
  return rows.map((row) => historyRow.parse(row));
}

/** Lines by their numbers, the last one first. */
export async function findLinesAt(
  db: Queryable,
  character: string,
  seqs: readonly number[],
): Promise<HistoryLine[]> {
  const { rows } = await db.query<object>(
    `select ${HISTORY_COLUMNS}
     from edits
     where character_id = $1 and seq = any($2::bigint[])
     order by seq desc`,
    [character, seqs],
  );
  return rows.map((row) => historyRow.parse(row));
}

export async function findSeq(db: Queryable, character: string, edit: string): Promise<number | undefined> {
  const { rows } = await db.query<{ seq: number }>(
    'select seq from edits where character_id = $1 and id = $2',
    [character, edit],
  );
  return rows[0]?.seq;
}

/** Which points the lines up to a number are of, the last line first. */
export async function* eachPlaces(
  db: Queryable,
  character: string,
  upTo: number,
): AsyncGenerator<{ seq: number; places: Buffer }> {
  for (let before = upTo + 1; ;) {
    const { rows } = await db.query<{ seq: number; places: Buffer }>(
      `select seq, places
       from edits
       where character_id = $1 and seq < $2 and places is not null
       order by seq desc
       limit $3`,
      [character, before, LINES_A_QUERY],
    );
    yield* rows;
    if (rows.length < LINES_A_QUERY) return;
    before = rows[rows.length - 1].seq;
  }
}

const LINES_A_QUERY = 500;

const quietRow = z.object({
  kind: z.enum(['edit', 'undo', 'redo']),
  joints: skeletonChange.nullable(),
  changes: valueChange.nullable(),
});

/** What the lines after a number did to joints and values, the last line first. */
export async function* eachQuietChange(
  db: Queryable,
  character: string,
  after: number,
): AsyncGenerator<{ kind: 'edit' | 'undo' | 'redo'; joints: SkeletonChange; changes: ValueChange }> {
  for (let before = Number.MAX_SAFE_INTEGER; ;) {
    const { rows } = await db.query<object & { seq: number }>(
      `select e.seq, e.kind, coalesce(t.joints, e.joints) as joints, coalesce(t.changes, e.changes) as changes
       from edits e
       left join edits t on t.character_id = e.character_id and t.id = e.target
       where e.character_id = $1
         and e.seq > $2
         and e.seq < $3
         and (e.joints is not null or e.changes is not null or t.joints is not null or t.changes is not null)
       order by e.seq desc
       limit $4`,
      [character, after, before, LINES_A_QUERY],
    );
    for (const row of rows) {
      const { kind, joints, changes } = quietRow.parse(row);
      yield { kind, joints: joints ?? [], changes: changes ?? [] };
    }
    if (rows.length < LINES_A_QUERY) return;
    before = rows[rows.length - 1].seq;
  }
}

/** Lines of before anyone asked what they touched. */
export async function findUnsummarized(db: Queryable, character: string): Promise<number[]> {
  const { rows } = await db.query<{ seq: number }>(
    'select seq from edits where character_id = $1 and points is null order by seq',
    [character],
  );
  return rows.map(({ seq }) => seq);
}

export async function keepSummary(
  db: Queryable,
  character: string,
  seq: number,
  { points, parts, joints, places }: EditSummary,
): Promise<void> {
  await db.query(
    `update edits
     set points = $3, parts = $4, touched_joints = $5, places = $6
     where character_id = $1 and seq = $2`,
    [character, seq, points, parts, joints, places],
  );
}
