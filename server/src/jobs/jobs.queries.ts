import {
  askedWork,
  jobAnswer,
  type AskedBatch,
  type AskedWork,
  type ErrorAnswer,
  type Job,
} from '@judoka/contract';
import { z } from 'zod';
import type { Queryable } from '../database.ts';
import { RequestError } from '../http/requestError.ts';
import { mayChange, mayLook } from '../people/access.ts';

/** One that whoever was at it has not spoken of for so long goes on elsewhere. */
const ABANDONED = `interval '12 seconds'`;
/** Of what waits in a long row, the queue's word is given again after so long. */
const FORGOTTEN = `interval '1 minute'`;
const IS_IMPORT = `work ->> 'kind' = 'import'`;
/** So often it is tried before it counts as what kills its worker. */
const MAX_TRIES = 3;

export interface NewImport {
  readonly id: string;
  readonly account: string;
  readonly shelf: string;
  readonly name: string;
}

/**
 * Begins an import, or begins one anew that had not come whole.
 * @returns false where it has come already
 * @throws RequestError where somebody else has this id
 */
export async function insertImport(db: Queryable, { id, account, shelf, name }: NewImport): Promise<boolean> {
  const { rows } = await db.query<{ mine: boolean; state: string }>(
    `with made as (
       insert into jobs (id, account_id, shelf_id, name) values ($1, $2, $3, $4)
       on conflict (id) do nothing
       returning id
     )
     select account_id = $2 as mine, state from jobs where id = $1 and not exists (select from made)`,
    [id, account, shelf, name],
  );
  if (rows.length === 0) return true;
  if (!rows[0].mine) throw new RequestError('edit-clash', 'This id is taken already. Try again.');
  if (rows[0].state !== 'coming') return false;
  await db.query('delete from job_pieces where job_id = $1', [id]);
  return true;
}

export async function insertJobPiece(db: Queryable, id: string, piece: number, bytes: Buffer): Promise<void> {
  await db.query(
    `insert into job_pieces (job_id, piece, bytes) values ($1, $2, $3)
     on conflict (job_id, piece) do update set bytes = excluded.bytes`,
    [id, piece, bytes],
  );
  await db.query('update jobs set seen_at = now() where id = $1', [id]);
}

/** All of it has come. */
export async function finishComing(db: Queryable, id: string, bytes: number): Promise<void> {
  await db.query(`update jobs set state = 'waiting', bytes = $2, seen_at = now() where id = $1`, [id, bytes]);
}

export async function dropJob(db: Queryable, id: string): Promise<void> {
  await db.query('delete from jobs where id = $1', [id]);
}

const claimed = z.object({
  account: z.uuid(),
  shelf: z.uuid(),
  name: z.string(),
  character: z.uuid().nullable(),
  work: z.union([z.object({ kind: z.literal('import') }), askedWork]),
  tries: z.number(),
});
export type ClaimedJob = z.infer<typeof claimed>;

/** Takes a job to oneself; undefined where somebody else is at it, or it is over. */
export async function claimJob(db: Queryable, id: string): Promise<ClaimedJob | undefined> {
  const { rows } = await db.query<object>(
    `update jobs
     set state = 'working', seen_at = now(), tries = tries + 1
     where id = $1 and (state = 'waiting' or (state = 'working' and seen_at < now() - ${ABANDONED}))
     returning account_id as account, shelf_id as shelf, name, character_id as character, work, tries`,
    [id],
  );
  return rows.length > 0 ? claimed.parse(rows[0]) : undefined;
}

export const isTriedOut = ({ tries }: { readonly tries: number }): boolean => tries > MAX_TRIES;

/** Says that it is still being worked on, and how much is done. @returns whether it is still wanted */
export async function stillWorking(db: Queryable, id: string, share: number): Promise<boolean> {
  const { rowCount } = await db.query(
    `update jobs set seen_at = now(), share = $2 where id = $1 and state = 'working'`,
    [id, share],
  );
  return rowCount === 1;
}

export async function readImport(db: Queryable, id: string): Promise<Uint8Array<ArrayBuffer>> {
  const pieces: Buffer[] = [];
  for (;;) {
    const { rows } = await db.query<{ bytes: Buffer }>(
      'select bytes from job_pieces where job_id = $1 and piece = $2',
      [id, pieces.length],
    );
    if (rows.length === 0) return new Uint8Array(Buffer.concat(pieces));
    pieces.push(rows[0].bytes);
  }
}

/** What came of a job. */
export interface Finished {
  /** In a sentence. */
  readonly words?: string;
  /** What it made. */
  readonly result?: Uint8Array;
  /** Of a report: what it says, for programs. */
  readonly figures?: object;
}

/** It is done, in the transaction of what it does. @returns false where it was stopped meanwhile */
export async function finishJob(
  db: Queryable,
  id: string,
  { words, result, figures }: Finished = {},
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update jobs set state = 'done', share = 1, outcome = $2, result = $3, figures = $4
     where id = $1 and state = 'working'`,
    [id, words ?? null, result ? Buffer.from(result) : null, figures ? JSON.stringify(figures) : null],
  );
  await db.query('delete from job_pieces where job_id = $1', [id]);
  return rowCount === 1;
}

export async function failJob(db: Queryable, id: string, { error }: ErrorAnswer): Promise<void> {
  await db.query(
    `update jobs set state = 'failed', failure = $2 where id = $1 and state in ('coming', 'waiting', 'working')`,
    [id, JSON.stringify(error)],
  );
  await db.query('delete from job_pieces where job_id = $1', [id]);
}

/** Stops a job that is not over, or puts one away that is. @returns whether there was one */
export async function stopJob(db: Queryable, account: string, id: string): Promise<boolean> {
  const { rowCount } = await db.query(
    `update jobs set state = 'stopped', result = null
     where id = $1 and account_id = $2 and state <> 'stopped' and not (${IS_IMPORT} and state = 'done')`,
    [id, account],
  );
  if (rowCount === 1) await db.query('delete from job_pieces where job_id = $1', [id]);
  return rowCount === 1;
}

/** Stops what is not over of a batch; where all of it is over, puts it away. @returns whether there was something */
export async function stopBatch(db: Queryable, account: string, batch: string): Promise<boolean> {
  const { rowCount } = await db.query(
    `update jobs set state = 'stopped', result = null
     where batch = $1 and account_id = $2 and state <> 'stopped'
       and (state in ('waiting', 'working')
            or not exists (select from jobs each where each.batch = $1 and each.state in ('waiting', 'working')))`,
    [batch, account],
  );
  return (rowCount ?? 0) > 0;
}

/**
 * Asks for work on several characters, all or none.
 * @returns the ids of what is to be done, none of them where this batch was asked for already
 * @throws RequestError `not-found` where the account may not do that to one of them
 */
export async function insertBatch(
  db: Queryable,
  account: string,
  { id, characters, work }: AskedBatch,
): Promise<string[]> {
  const may = work.kind === 'report' ? mayLook : mayChange;
  const wanted = [...new Set(characters)];
  const { rows } = await db.query<{ id: string }>(
    `insert into jobs (id, account_id, shelf_id, name, character_id, batch, work, state, made_at)
     select gen_random_uuid(), $1, c.shelf_id, c.name, c.id, $2, $3, 'waiting', clock_timestamp()
     from unnest($4::uuid[]) with ordinality as w (character_id, place)
     join characters c on c.id = w.character_id and c.removed_at is null and c.arriving_at is null
     where ${may('c.shelf_id', '$1')}
     order by w.place
     on conflict (batch, character_id) do nothing
     returning id`,
    [account, id, JSON.stringify(work), wanted],
  );
  if (rows.length === 0 && (await db.query('select from jobs where batch = $1', [id])).rowCount) return [];
  if (rows.length < wanted.length)
    throw new RequestError(
      'not-found',
      wanted.length === 1
        ? 'This character does not exist, or it is not yours to do that with.'
        : 'One of these characters does not exist, or it is not yours to do that with. Choose anew.',
    );
  return rows.map((row) => row.id);
}

/** Jobs that are due again: their worker is gone, or the queue's word of them was lost. */
export async function listAbandoned(db: Queryable): Promise<{ id: string; kind: Job['kind'] }[]> {
  const { rows } = await db.query<{ id: string; kind: Job['kind'] }>(
    `update jobs
     set state = 'waiting', seen_at = now()
     where (state = 'working' and seen_at < now() - ${ABANDONED})
        or (state = 'waiting' and seen_at < now() - case when ${IS_IMPORT} then ${ABANDONED} else ${FORGOTTEN} end)
     returning id, work ->> 'kind' as kind`,
  );
  return rows;
}

/** What never came whole, what was over a day ago, and what nobody put away for a month. */
export async function dropOldJobs(db: Queryable): Promise<void> {
  await db.query(
    `delete from jobs
     where (state = 'coming' and seen_at < now() - interval '1 hour')
        or (state in ('done', 'failed', 'stopped') and made_at < now()
              - case when ${IS_IMPORT} or state = 'stopped' then interval '1 day' else interval '30 days' end)`,
  );
}

const COLUMNS = `j.id, j.work ->> 'kind' as kind, j.name, j.shelf_id as shelf, j.character_id as character, j.batch,
  j.state, j.bytes, j.share, j.outcome, j.failure ->> 'message' as failure,
  (select count(*) from jobs before
   where before.state in ('waiting', 'working') and before.made_at < j.made_at
     and (before.${IS_IMPORT}) = (j.${IS_IMPORT}))::int as before`;

/** What an account has under way, what failed, and what was made for it. */
export async function listJobs(db: Queryable, account: string): Promise<Job[]> {
  const { rows } = await db.query<object>(
    `select ${COLUMNS} from jobs j
     where j.account_id = $1 and j.state <> 'stopped' and not (j.${IS_IMPORT} and j.state = 'done')
     order by j.made_at, j.name`,
    [account],
  );
  return rows.map((row) => jobAnswer.parse(row));
}

export async function findJob(db: Queryable, account: string, id: string): Promise<Job | undefined> {
  const { rows } = await db.query<object>(
    `select ${COLUMNS} from jobs j where j.id = $1 and j.account_id = $2`,
    [id, account],
  );
  return rows.length > 0 ? jobAnswer.parse(rows[0]) : undefined;
}

/** What a job made, of a character that the account may still look at. */
export async function findResult(
  db: Queryable,
  account: string,
  id: string,
  kind: AskedWork['kind'],
): Promise<{ name: string; result: Buffer; figures: object | null } | undefined> {
  const { rows } = await db.query<{ name: string; result: Buffer; figures: object | null }>(
    `select j.name, j.result, j.figures
     from jobs j
     join characters c on c.id = j.character_id
     where j.id = $1 and j.account_id = $2 and j.work ->> 'kind' = $3 and j.result is not null
       and ${mayLook('c.shelf_id', '$2')}`,
    [id, account, kind],
  );
  return rows.at(0);
}

/** Why it failed, as it is answered. */
export async function findFailure(db: Queryable, id: string): Promise<ErrorAnswer['error'] | undefined> {
  const { rows } = await db.query<{ failure: ErrorAnswer['error'] | null }>(
    'select failure from jobs where id = $1',
    [id],
  );
  return rows[0]?.failure ?? undefined;
}
