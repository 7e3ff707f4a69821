import type { WeightRows } from '@judoka/core/weights';
import type { Queryable } from '../database.ts';
import { readStoredRows, storeRows } from './storedWeights.ts';

export async function insertCheckpoint(
  db: Queryable,
  character: string,
  seq: number,
  rows: readonly WeightRows[],
): Promise<void> {
  await db.query(
    `insert into checkpoints (character_id, seq, weights)
     values ($1, $2, $3)
     on conflict (character_id, seq) do nothing`,
    [character, seq, storeRows(rows)],
  );
}

export interface Checkpoint {
  readonly seq: number;
  readonly rows: WeightRows[];
}

/** The last checkpoint at or before a number. */
export async function findCheckpoint(
  db: Queryable,
  character: string,
  upTo: number,
): Promise<Checkpoint | undefined> {
  const { rows } = await db.query<{ seq: number; weights: Buffer }>(
    `select seq, weights
     from checkpoints
     where character_id = $1 and seq <= $2
     order by seq desc
     limit 1`,
    [character, upTo],
  );
  return asCheckpoint(rows);
}

/** The checkpoint that is nearest to a number, before or after it. */
export async function findNearestCheckpoint(
  db: Queryable,
  character: string,
  to: number,
): Promise<Checkpoint | undefined> {
  const { rows } = await db.query<{ seq: number; weights: Buffer }>(
    `select seq, weights
     from checkpoints
     where character_id = $1
     order by abs(seq - $2), seq
     limit 1`,
    [character, to],
  );
  return asCheckpoint(rows);
}

const asCheckpoint = ([row]: { seq: number; weights: Buffer }[]): Checkpoint | undefined =>
  (row as typeof row | undefined) && { seq: row.seq, rows: readStoredRows(row.weights) };

/** Edits between a checkpoint and the farthest line that it serves. */
export const CHECKPOINT_REACH = 64;
/** The last few are there for whoever opens the character. */
const KEPT_LAST = 3;

/**
 * Drops every checkpoint that the others can stand in for: without it, no line of the log is farther than
 * {@link CHECKPOINT_REACH} edits from one of them, forward or back.
 */
export async function pruneCheckpoints(db: Queryable, character: string): Promise<void> {
  const { rows } = await db.query<{ seq: number }>(
    'select seq from checkpoints where character_id = $1 order by seq',
    [character],
  );
  const seqs = rows.map(({ seq }) => seq);
  await db.query('delete from checkpoints where character_id = $1 and seq = any($2::bigint[])', [
    character,
    needlessCheckpoints(seqs),
  ]);
}

/** Of rising numbers of checkpoints, those that are not needed. */
export function needlessCheckpoints(seqs: readonly number[]): number[] {
  const needless: number[] = [];
  let kept = seqs[0];
  for (let i = 1; i < seqs.length - KEPT_LAST; i++) {
    if (seqs[i + 1] - kept <= 2 * CHECKPOINT_REACH) needless.push(seqs[i]);
    else kept = seqs[i];
  }
  return needless;
}
