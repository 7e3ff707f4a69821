// Makes the files of a database, and brings those of earlier versions up to date. Whole or not at all: what is interrupted
// is begun anew at the next start.
import { randomBytes } from 'node:crypto';
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  readFileSync,
  readdirSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { isCluster, writeWhole } from './place.mjs';
import { asDatabaseUser, hasProgram, installDebian, isRoot, run } from './run.mjs';

const DEBIAN_HOME = '/usr/lib/postgresql';
const ROLE = 'judoka_app';

/** The path of one of PostgreSQL's programs; installs them where they are missing. */
export function findProgram(name) {
  const find = () => {
    const versions = existsSync(DEBIAN_HOME) ? readdirSync(DEBIAN_HOME).filter((v) => /^\d+$/.test(v)) : [];
    const newest = versions
      .sort((a, b) => Number(b) - Number(a))
      .find((v) => existsSync(join(DEBIAN_HOME, v, 'bin/initdb')));
    return newest ? join(DEBIAN_HOME, newest, 'bin', name) : undefined;
  };
  const found = find();
  if (found) return found;
  if (hasProgram('initdb') && hasProgram('postgres')) return name;
  installDebian(['postgresql'], 'PostgreSQL is needed and is not installed.');
  const installed = find();
  if (!installed) throw new Error('PostgreSQL was installed, but its programs were not found.');
  return installed;
}

/**
 * Makes sure that a place has a cluster that can be started: with page checksums, and a role for the application that is no
 * superuser and owns its one database.
 * @param {{ cluster: string, secretFile: string }} place whose database does not run
 * @param {{ throwaway?: boolean }} options throwaway: made anew, without care for a crash
 * @returns {{ user: string, password: string, database: string }} what opens it
 */
export function prepareCluster({ cluster, secretFile }, { throwaway = false } = {}) {
  if (throwaway) for (const path of [cluster, secretFile]) rmSync(path, { recursive: true, force: true });
  clearLeftOver(cluster);
  const readSecret = () =>
    existsSync(secretFile) ? JSON.parse(readFileSync(secretFile, 'utf8')) : undefined;
  if (existsSync(cluster) && !isWhole(cluster, readSecret())) setAside(cluster, secretFile);
  if (!isCluster(cluster)) makeCluster(cluster, secretFile, throwaway);
  const { isMade, ...secret } = readSecret();
  if (secret.user === undefined) return lowerRole(cluster, secretFile, secret);
  if (isMade === false) writeWhole(secretFile, JSON.stringify(secret));
  return secret;
}

/** What an interrupted start left: half clusters, and, in earlier versions, the password. */
function clearLeftOver(cluster) {
  rmSync(`${cluster}.password`, { force: true });
  const room = dirname(cluster);
  for (const name of readdirSync(room))
    if (name.startsWith(`${basename(cluster)}.making-`)) {
      try {
        rmSync(join(room, name), { recursive: true, force: true });
      } catch {
        // The program that fills it has not noticed its end yet; the next start takes it away.
      }
    }
}

/** A cluster gets its name when it is whole; in earlier versions it was whole once it had been started. */
function isWhole(cluster, secret) {
  if (!isCluster(cluster)) return false;
  if (secret) return secret.user !== undefined || existsSync(join(cluster, 'server.log'));
  throw new Error(
    `The secret that opens the database in ${cluster} is missing. Put its file back beside place.json.`,
  );
}

/** Half a cluster of an earlier version is kept with its secret, in case it is more than that. */
function setAside(cluster, secretFile) {
  const folder = `${cluster}.broken-${Date.now()}`;
  renameSync(cluster, folder);
  if (existsSync(secretFile)) copyFileSync(secretFile, `${folder}.json`);
  console.log(`The making of the database was interrupted; what was there is kept in ${folder}.`);
}

function makeCluster(cluster, secretFile, throwaway) {
  const password = randomBytes(24).toString('hex');
  const secret = { user: ROLE, password, database: 'judoka' };
  // The secret goes first: should this end before the cluster stands, the next start knows that it opens nothing yet.
  writeWhole(secretFile, JSON.stringify({ ...secret, isMade: false }));
  const making = `${cluster}.making-${randomBytes(4).toString('hex')}`;
  mkdirSync(making, { recursive: true, mode: 0o700 });
  if (isRoot()) run('chown', ['postgres:', making]);
  const settings = ['-U', 'judoka_admin', '-A', 'reject', '-E', 'UTF8', '--locale=C', '--data-checksums'];
  const { status, stderr, error } = asDatabaseUser(findProgram('initdb'), [
    '-D',
    making,
    ...settings,
    ...(throwaway ? ['-N'] : []),
  ]);
  if (status !== 0) throw new Error(`The database could not be made: ${reasonOf(stderr, error)}`);
  writeFileSync(join(making, 'pg_hba.conf'), 'host all all 127.0.0.1/32 scram-sha-256\n');
  alone(making, 'template1', [
    `create role ${ROLE} login createdb password '${password}'`,
    `create database judoka owner ${ROLE}`,
  ]);
  chmodSync(making, 0o700);
  renameSync(making, cluster);
  writeWhole(secretFile, JSON.stringify(secret));
  // A program that went on after its start was killed has ended by now.
  clearLeftOver(cluster);
}

const reasonOf = (stderr, error) => error?.message ?? String(stderr).trim().split('\n').slice(-3).join(' ');

/** Statements by the superuser, in single-user mode: nobody can sign in as that one over a connection. */
function alone(cluster, database, statements) {
  const { status, stderr, error } = asDatabaseUser(
    findProgram('postgres'),
    ['--single', '-D', cluster, '-c', 'log_min_messages=error', database],
    { input: statements.map((each) => `${each.replaceAll('\n', ' ')}\n`).join('') },
  );
  if (status === 0 && !/ERROR|FATAL/.test(stderr)) return;
  throw new Error(`The database could not be set up: ${reasonOf(stderr, error)}`);
}

/** How a cluster was left, as its control file says: “shut down”, “in production”, … */
function stateOf(cluster) {
  const { stdout } = asDatabaseUser(findProgram('pg_controldata'), ['-D', cluster], { env: { LC_ALL: 'C' } });
  return /Database cluster state:\s*(.*)/.exec(stdout ?? '')?.[1] ?? '';
}

/** Clusters of earlier versions let the application be the superuser, and had no checksums. */
function lowerRole(cluster, secretFile, { password }) {
  // A crash is recovered from first: checksums can only be switched on after a clean stop.
  if (stateOf(cluster) !== 'shut down') alone(cluster, 'postgres', ['checkpoint']);
  asDatabaseUser(findProgram('pg_checksums'), ['--enable', '-D', cluster]);
  const secret = { user: ROLE, password: randomBytes(24).toString('hex'), database: 'postgres' };
  alone(cluster, 'postgres', [
    `do $$ begin create role ${ROLE} login createdb; exception when duplicate_object then null; end $$`,
    `alter role ${ROLE} password '${secret.password}'`,
    `grant create, temporary, connect on database postgres to ${ROLE}`,
    `alter schema public owner to ${ROLE}`,
    `do $$ declare t record; begin
      for t in select tablename from pg_tables where schemaname = 'public' loop
        execute format('alter table public.%I owner to ${ROLE}', t.tablename);
      end loop; end $$`,
    `do $$ declare t record; begin
      for t in select sequencename from pg_sequences s where schemaname = 'public' and not exists (
        select from pg_depend d where d.objid = format('public.%I', s.sequencename)::regclass and d.deptype in ('a', 'i')
      ) loop
        execute format('alter sequence public.%I owner to ${ROLE}', t.sequencename);
      end loop; end $$`,
  ]);
  writeWhole(secretFile, JSON.stringify({ ...secret, earlier: { user: 'judoka', password } }));
  return secret;
}
