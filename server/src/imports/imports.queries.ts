import { importJob, type ErrorAnswer, type ImportJob } from '@judoka/contract';
import { z } from 'zod';
import type { Queryable } from '../database.ts';
import { RequestError } from '../http/requestError.ts';

/** One that whoever was at it has not spoken of for so long goes on elsewhere. */
const ABANDONED = `interval '12 seconds'`;
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
       insert into imports (id, account_id, shelf_id, name) values ($1, $2, $3, $4)
       on conflict (id) do nothing
       returning id
     )
     select account_id = $2 as mine, state from imports where id = $1 and not exists (select from made)`,
    [id, account, shelf, name],
  );
  if (rows.length === 0) return true;
  if (!rows[0].mine) throw new RequestError('edit-clash', 'This id is taken already. Try again.');
  if (rows[0].state !== 'coming') return false;
  await db.query('delete from import_pieces where import_id = $1', [id]);
  return true;
}

export async function insertImportPiece(
  db: Queryable,
  id: string,
  piece: number,
  bytes: Buffer,
): Promise<void> {
  await db.query(
    `insert into import_pieces (import_id, piece, bytes) values ($1, $2, $3)
     on conflict (import_id, piece) do update set bytes = excluded.bytes`,
    [id, piece, bytes],
  );
  await db.query('update imports set seen_at = now() where id = $1', [id]);
}

/** All of it has come. */
export async function finishComing(db: Queryable, id: string, bytes: number): Promise<void> {
  await db.query(`update imports set state = 'waiting', bytes = $2, seen_at = now() where id = $1`, [
    id,
    bytes,
  ]);
}

export async function dropImport(db: Queryable, id: string): Promise<void> {
  await db.query('delete from imports where id = $1', [id]);
}

const claimed = z.object({ shelf: z.uuid(), name: z.string(), tries: z.number() });

/** Takes an import to oneself; undefined where somebody else is at it, or it is over. */
export async function claimImport(db: Queryable, id: string): Promise<z.infer<typeof claimed> | undefined> {
  const { rows } = await db.query<object>(
    `update imports
     set state = 'reading', seen_at = now(), tries = tries + 1
     where id = $1 and (state = 'waiting' or (state = 'reading' and seen_at < now() - ${ABANDONED}))
     returning shelf_id as shelf, name, tries`,
    [id],
  );
  return rows.length > 0 ? claimed.parse(rows[0]) : undefined;
}

export const isTriedOut = ({ tries }: { readonly tries: number }): boolean => tries > MAX_TRIES;

/** Says that it is still being worked on. @returns whether it is still wanted */
export async function stillReading(db: Queryable, id: string): Promise<boolean> {
  const { rowCount } = await db.query(
    `update imports set seen_at = now() where id = $1 and state = 'reading'`,
    [id],
  );
  return rowCount === 1;
}

export async function readImport(db: Queryable, id: string): Promise<Uint8Array<ArrayBuffer>> {
  const pieces: Buffer[] = [];
  for (;;) {
    const { rows } = await db.query<{ bytes: Buffer }>(
      'select bytes from import_pieces where import_id = $1 and piece = $2',
      [id, pieces.length],
    );
    if (rows.length === 0) return new Uint8Array(Buffer.concat(pieces));
    pieces.push(rows[0].bytes);
  }
}

/** Its character is on the shelf, in the same transaction. @returns false where it was stopped meanwhile */
export async function finishImport(db: Queryable, id: string): Promise<boolean> {
  const { rowCount } = await db.query(
    `update imports set state = 'done' where id = $1 and state = 'reading'`,
    [id],
  );
  await db.query('delete from import_pieces where import_id = $1', [id]);
  return rowCount === 1;
}

export async function failImport(db: Queryable, id: string, { error }: ErrorAnswer): Promise<void> {
  await db.query(
    `update imports set state = 'failed', failure = $2 where id = $1 and state in ('coming', 'waiting', 'reading')`,
    [id, JSON.stringify(error)],
  );
  await db.query('delete from import_pieces where import_id = $1', [id]);
}

/** Stops one that is not over. @returns whether there was one */
export async function stopImport(db: Queryable, account: string, id: string): Promise<boolean> {
  const { rowCount } = await db.query(
    `update imports set state = 'stopped' where id = $1 and account_id = $2 and state not in ('done', 'stopped')`,
    [id, account],
  );
  if (rowCount === 1) await db.query('delete from import_pieces where import_id = $1', [id]);
  return rowCount === 1;
}

/** Imports that are due again: their worker is gone, or the queue's word of them was lost. */
export async function listAbandoned(db: Queryable): Promise<string[]> {
  const { rows } = await db.query<{ id: string }>(
    `update imports
     set state = 'waiting', seen_at = now()
     where state in ('waiting', 'reading') and seen_at < now() - ${ABANDONED}
     returning id`,
  );
  return rows.map(({ id }) => id);
}

/** What never came whole, and what was over a day ago. */
export async function dropOldImports(db: Queryable): Promise<void> {
  await db.query(
    `delete from imports
     where (state = 'coming' and seen_at < now() - interval '1 hour')
        or (state in ('done', 'failed', 'stopped') and made_at < now() - interval '1 day')`,
  );
}

const COLUMNS = `i.id, i.name, i.shelf_id as shelf, i.state, i.bytes, i.failure ->> 'message' as failure,
  (select count(*) from imports before
   where before.state in ('waiting', 'reading') and before.made_at < i.made_at)::int as before`;

/** What an account has under way, and what failed. */
export async function listImports(db: Queryable, account: string): Promise<ImportJob[]> {
  const { rows } = await db.query<object>(
    `select ${COLUMNS} from imports i
     where i.account_id = $1 and i.state in ('coming', 'waiting', 'reading', 'failed')
     order by i.made_at`,
    [account],
  );
  return rows.map((row) => importJob.parse(row));
}

export async function findImport(db: Queryable, account: string, id: string): Promise<ImportJob | undefined> {
  const { rows } = await db.query<object>(
    `select ${COLUMNS} from imports i where i.id = $1 and i.account_id = $2`,
    [id, account],
  );
  return rows.length > 0 ? importJob.parse(rows[0]) : undefined;
}

/** Why it failed, as it is answered. */
export async function findFailure(db: Queryable, id: string): Promise<ErrorAnswer['error'] | undefined> {
  const { rows } = await db.query<{ failure: ErrorAnswer['error'] | null }>(
    'select failure from imports where id = $1',
    [id],
  );
  return rows[0]?.failure ?? undefined;
}
