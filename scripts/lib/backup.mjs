// One file with everything of a place: a tar of `manifest.json` and `place.dump` (PostgreSQL's own archive). The manifest
// says what is in the dump, counted at the same moment; both are checked when they are written and when they are read.
import { createHash } from 'node:crypto';
import { spawn } from 'node:child_process';
import {
  createReadStream,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { findProgram } from './cluster.mjs';
import { run } from './run.mjs';

export const FORMAT = 'judoka-backup';
/** Who is signed in where is not kept: whoever restores signs in anew. */
const NOT_KEPT = ['sessions', 'entry_keys', 'presence', 'openings', 'tries'];

/** Opens a connection; `pg` is loaded when packages are there. */
export async function connect(url) {
  const { default: pg } = await import('pg');
  const client = new pg.Client({ connectionString: url });
  client.on('error', () => undefined);
  await client.connect();
  return client;
}

/** How PostgreSQL's programs find a database, without its password in the list of processes. */
function environmentOf(url) {
  const { hostname, port, username, password, pathname, searchParams } = new URL(url);
  return {
    PATH: process.env.PATH,
    LC_ALL: 'C',
    PGHOST: decodeURIComponent(hostname),
    PGPORT: port || '5432',
    PGUSER: decodeURIComponent(username),
    PGPASSWORD: decodeURIComponent(password),
    PGDATABASE: decodeURIComponent(pathname.slice(1)),
    ...(searchParams.has('sslmode') ? { PGSSLMODE: searchParams.get('sslmode') } : {}),
  };
}

/** Runs one of PostgreSQL's programs against a database. */
export function runFor(url, program, args) {
  return new Promise((resolveIt, reject) => {
    const child = spawn(findProgram(program), args, {
      cwd: '/',
      env: environmentOf(url),
      stdio: ['ignore', 'ignore', 'pipe'],
    });
    let words = '';
    child.stderr.on('data', (text) => (words = (words + text).slice(-4000)));
    child.once('error', reject);
    child.once('exit', (code) => {
      if (code === 0) resolveIt();
      else reject(new Error(`${program} failed: ${words.trim().split('\n').at(-1) ?? `code ${code}`}`));
    });
  });
}

export async function sha256(file) {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(file, { highWaterMark: 1 << 20 })) hash.update(chunk);
  return hash.digest('hex');
}

/** How many rows each table has, as one connection sees them now. */
export async function countTables(client) {
  const { rows } = await client.query(
    `select tablename from pg_tables where schemaname = 'public' order by tablename`,
  );
  const counts = {};
  for (const { tablename } of rows) {
    if (NOT_KEPT.includes(tablename)) continue;
    const { rows: counted } = await client.query(`select count(*)::float8 as n from public."${tablename}"`);
    counts[tablename] = counted[0].n;
  }
  return counts;
}

/**
 * Writes a place into a file, all from one moment, while people go on working.
 * @param {string} url of its database
 * @param {string} file that is not there yet
 * @returns {Promise<{ bytes: number, tables: Record<string, number> }>}
 */
export async function writeBackup(url, file) {
  const target = resolve(file);
  if (existsSync(target)) throw new Error(`${target} is there already. Give another name.`);
  mkdirSync(dirname(target), { recursive: true });
  const folder = mkdtempSync(join(dirname(target), '.judoka-backup-'));
  const client = await connect(url);
  try {
    await client.query('begin isolation level repeatable read read only');
    const { rows } = await client.query('select pg_export_snapshot() as snapshot');
    const tables = await countTables(client);
    const steps =
      'migrations' in tables ? await client.query('select name from migrations order by id') : { rows: [] };
    const dump = join(folder, 'place.dump');
    await runFor(url, 'pg_dump', [
      ...[
        '--format=custom',
        '--compress=1',
        '--no-owner',
        '--no-privileges',
        `--snapshot=${rows[0].snapshot}`,
      ],
      ...NOT_KEPT.map((table) => `--exclude-table-data=public.${table}`),
      `--file=${dump}`,
    ]);
    const manifest = {
      format: FORMAT,
      version: 1,
      madeAt: new Date().toISOString(),
      steps: steps.rows.map(({ name }) => name),
      tables,
      dump: { bytes: statSync(dump).size, sha256: await sha256(dump) },
    };
    writeFileSync(join(folder, 'manifest.json'), JSON.stringify(manifest, null, 2));
    run('tar', ['-C', folder, '-cf', join(folder, 'whole.tar'), 'manifest.json', 'place.dump']);
    // What was written is read again, from the disk, before it is called a backup.
    rmSync(dump);
    const { close } = await readBackup(join(folder, 'whole.tar'));
    close();
    renameSync(join(folder, 'whole.tar'), target);
    return { bytes: statSync(target).size, tables };
  } finally {
    await client.end().catch(() => undefined);
    rmSync(folder, { recursive: true, force: true });
  }
}

/**
 * Unpacks a backup and checks it.
 * @returns {Promise<{ manifest: object, dump: string, close: () => void }>} close removes what was unpacked
 * @throws what is wrong with the file
 */
export async function readBackup(file) {
  const source = resolve(file);
  if (!existsSync(source)) throw new Error(`${source} is not there.`);
  const folder = mkdtempSync(join(dirname(source), '.judoka-restore-'));
  const close = () => rmSync(folder, { recursive: true, force: true });
  try {
    try {
      run('tar', ['-C', folder, '-xf', source, 'manifest.json', 'place.dump']);
    } catch {
      throw new Error(`${source} is no backup, or not a whole one.`);
    }
    const manifest = readManifest(join(folder, 'manifest.json'), source);
    const dump = join(folder, 'place.dump');
    if (statSync(dump).size !== manifest.dump.bytes || (await sha256(dump)) !== manifest.dump.sha256)
      throw new Error(`${source} was changed or damaged after it was made; it cannot be trusted.`);
    return { manifest, dump, close };
  } catch (error) {
    close();
    throw error;
  }
}

function readManifest(file, source) {
  try {
    const manifest = JSON.parse(readFileSync(file, 'utf8'));
    if (manifest.format === FORMAT && manifest.version === 1 && Array.isArray(manifest.steps))
      return manifest;
  } catch {
    // Said below.
  }
  throw new Error(`${source} is no backup of this kind.`);
}
