import { readdirSync } from 'node:fs';
import { parse } from 'node:path';
import { fileURLToPath } from 'node:url';
import { runner } from 'node-pg-migrate';
import pg from 'pg';
import { ConfigError } from './config.ts';

/** Something that takes queries: the pool, or one connection inside a transaction. */
export type Queryable = Pick<pg.Pool, 'query'>;
export type Database = pg.Pool;

// bigint columns count edits and bytes: far below 2^53, so plain numbers.
pg.types.setTypeParser(pg.types.builtins.INT8, Number);

export function openDatabase(url: string, max = 10): Database {
  const pool = new pg.Pool({ connectionString: url, max, connectionTimeoutMillis: 10_000 });
  // A connection that breaks while idle is replaced by the next query; without a listener it would end the process.
  pool.on('error', (error) => console.error(`A database connection was lost: ${error.message}`));
  return pool;
}

const MIGRATIONS = fileURLToPath(new URL('../migrations', import.meta.url));

/**
 * Brings the schema up to date; of two servers that start at once, one waits for the other.
 * @throws ConfigError where a newer version has been at work on the database
 */
export async function migrate(url: string): Promise<void> {
  await refuseNewer(url);
  await runner({
    databaseUrl: url,
    dir: MIGRATIONS,
    migrationsTable: 'migrations',
    direction: 'up',
    singleTransaction: false,
    log: () => undefined,
  });
}

async function refuseNewer(url: string): Promise<void> {
  const known = new Set(readdirSync(MIGRATIONS).map((file) => parse(file).name));
  const unknown = (await migrationsOf(url)).find((name) => !known.has(name));
  if (unknown !== undefined)
    throw new ConfigError(
      `A newer version of Judoka has worked on this database (step “${unknown}”). Start that version or a later one; ` +
        'nothing was changed.',
    );
}

/** The steps that a database has been through; none for an empty one. */
export async function migrationsOf(url: string): Promise<string[]> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    const { rows } = await client.query<{ there: string | null }>(
      "select to_regclass('migrations') as there",
    );
    if (rows[0].there === null) return [];
    return (await client.query<{ name: string }>('select name from migrations order by id')).rows.map(
      ({ name }) => name,
    );
  } finally {
    await client.end();
  }
}

/** Runs `work` while no other connection, of whichever server, runs work of the same name. */
export async function withLock<T>(database: Database, name: string, work: () => Promise<T>): Promise<T> {
  const connection = await database.connect();
  try {
    await connection.query('select pg_advisory_lock(hashtextextended($1, 0))', [name]);
    return await work();
  } finally {
    // With its connection the lock goes too, should letting it go fail.
    const gone = await connection.query('select pg_advisory_unlock(hashtextextended($1, 0))', [name]).then(
      () => undefined,
      (error: unknown) => error as Error,
    );
    connection.release(gone);
  }
}

/** Runs `work` in one transaction: committed when it ends, rolled back when it throws. */
export async function transaction<T>(
  database: Database,
  work: (connection: Queryable) => Promise<T>,
  isolation: 'read committed' | 'repeatable read' = 'read committed',
): Promise<T> {
  const connection = await database.connect();
  let broken: Error | undefined;
  try {
    await connection.query(`begin isolation level ${isolation}`);
    const result = await work(connection);
    await connection.query('commit');
    return result;
  } catch (error) {
    await connection.query('rollback').catch((failure: unknown) => (broken = failure as Error));
    throw error;
  } finally {
    connection.release(broken);
  }
}
