// Puts a backup back: into a new database first, counted against its manifest, and only then in the place of the old one,
// which is kept under another name.
import { randomBytes } from 'node:crypto';
import { availableParallelism } from 'node:os';
import { connect, countTables, readBackup, runFor } from './backup.mjs';

const withDatabase = (url, database) => {
  const other = new URL(url);
  other.pathname = `/${database}`;
  return other.href;
};
const databaseIn = (url) => decodeURIComponent(new URL(url).pathname.slice(1));

/** Statements that cannot be in the database that they are about. */
async function beside(url, ...statements) {
  // One of these two is always there, and never the one that is renamed.
  const other = databaseIn(url) === 'postgres' ? 'template1' : 'postgres';
  const client = await connect(withDatabase(url, other));
  try {
    for (const statement of statements) await client.query(statement);
  } finally {
    await client.end();
  }
}

/**
 * Restores a backup into a new database of the same server.
 * @param {string} url of the place's database
 * @param {string} file
 * @param {readonly string[]} knownSteps migrations that this version has
 * @returns {Promise<{ url: string, drop: () => Promise<void>, manifest: object }>}
 * @throws what does not fit; the new database is gone then
 */
export async function restoreAside(url, file, knownSteps) {
  const { manifest, dump, close } = await readBackup(file);
  try {
    const unknown = manifest.steps.find((step) => !knownSteps.includes(step));
    if (unknown !== undefined)
      throw new Error(
        `A newer version of Judoka made this backup (step “${unknown}”). Restore it with that version.`,
      );
    const name = `judoka_${randomBytes(6).toString('hex')}`;
    const drop = () => beside(url, `drop database if exists ${name} with (force)`);
    await beside(url, `create database ${name} template template0`).catch((error) => {
      throw new Error(`A database for the backup could not be made: ${error.message}.`);
    });
    const target = withDatabase(url, name);
    try {
      await fill(target, dump);
      await compare(target, manifest);
      await beginEpoch(target);
      return { url: target, drop, manifest };
    } catch (error) {
      await drop();
      throw error;
    }
  } finally {
    close();
  }
}

async function fill(target, dump) {
  await runFor(target, 'pg_restore', [
    ...['--no-owner', '--no-privileges', '--exit-on-error', `--jobs=${availableParallelism()}`],
    ...[`--dbname=${databaseIn(target)}`, dump],
  ]);
}

async function compare(target, { tables }) {
  const client = await connect(target);
  try {
    const counts = await countTables(client);
    for (const [table, count] of Object.entries(tables))
      if (counts[table] !== count)
        throw new Error(
          `The restored table ${table} has ${counts[table] ?? 0} rows instead of ${count}. Nothing was changed.`,
        );
  } finally {
    await client.end();
  }
}

/** From now on this is another place's past: what servers and pages hold of the old one does not count. */
async function beginEpoch(target) {
  const client = await connect(target);
  try {
    const { rows } = await client.query(`select to_regclass('public.place') as there`);
    if (rows[0].there !== null)
      await client.query(
        `insert into place (name, value) values ('epoch', gen_random_uuid()::text)
         on conflict (name) do update set value = excluded.value`,
      );
  } finally {
    await client.end();
  }
}

/**
 * Puts a restored database in the place of the old one, which is kept.
 * @returns {Promise<string>} the name under which the old one is kept
 */
export async function swapIn(url, restored) {
  const [name, fresh] = [databaseIn(url), databaseIn(restored)];
  const kept = `${name}_before_${new Date().toISOString().replace(/\D/g, '').slice(0, 14)}`;
  const cut = (database) =>
    `select pg_terminate_backend(pid) from pg_stat_activity
     where datname = '${database}' and pid <> pg_backend_pid()`;
  await beside(url, `alter database "${name}" allow_connections false`);
  await beside(
    url,
    cut(name),
    `alter database "${name}" rename to "${kept}"`,
    `alter database "${fresh}" rename to "${name}"`,
  );
  await beside(url, `alter database "${kept}" allow_connections true`);
  return kept;
}
