import { fileURLToPath } from 'node:url';
import { runner } from 'node-pg-migrate';
import pg from 'pg';

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

/** Brings the schema up to date; of two servers that start at once, one waits for the other. */
export async function migrate(url: string): Promise<void> {
  await runner({
    databaseUrl: url,
    dir: fileURLToPath(new URL('../migrations', import.meta.url)),
    migrationsTable: 'migrations',
    direction: 'up',
    singleTransaction: false,
    log: () => undefined,
  });
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
