// Backups that a running place makes by itself: by the clock, and before its database is changed by a new version.
import { readdirSync } from 'node:fs';
import { join, parse } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { connect } from './backup.mjs';
import { ROOT, runLoud } from './run.mjs';
import { listBackups, nameFor, prune, untilDue } from './schedule.mjs';

/** Longest sleep: a machine that was asleep itself looks at the clock again soon. */
const LOOK_MS = 10 * 60_000;
/** After one that failed. */
const AGAIN_MS = 60 * 60_000;

/** Writes one in a process of its own, and tries it by restoring it. @returns whether it stands */
async function makeBackup(folder, prefix, env) {
  const file = join(folder, nameFor(new Date(), prefix));
  const args = [join(ROOT, 'scripts/backup.mjs'), file, '--test'];
  return (await runLoud(process.execPath, args, { env: { ...process.env, ...env } })) === 0;
}

/**
 * Makes one if this version is about to change a database in which something is.
 * @throws where it cannot be made: then nothing is changed
 */
export async function backupBeforeMigration(url, folder, env) {
  const client = await connect(url);
  let done;
  try {
    const { rows } = await client.query(`select to_regclass('public.migrations') as there`);
    if (rows[0].there === null) return;
    done = (await client.query('select name from migrations')).rows.map(({ name }) => name);
  } finally {
    await client.end();
  }
  const steps = readdirSync(join(ROOT, 'server/migrations')).map((file) => parse(file).name);
  const next = steps.sort().find((step) => !done.includes(step));
  if (next === undefined || done.some((step) => !steps.includes(step))) return;
  console.log('This version changes the database; a backup is made first …');
  if (!(await makeBackup(folder, `before-${next}`, env)))
    throw new Error('The backup before the change could not be made, so nothing was changed.');
}

/** Makes one whenever it is due, until told to stop. */
export async function keepBackups(schedule, folder, { env, log, signal }) {
  const wait = (ms) => pause(ms, undefined, { signal }).catch(() => undefined);
  while (!signal.aborted) {
    const due = untilDue(listBackups(folder), schedule, Date.now());
    if (due > 0) {
      await wait(Math.min(due, LOOK_MS));
      continue;
    }
    if (await makeBackup(folder, 'judoka', env)) prune(folder, schedule, Date.now());
    else {
      log(`The backup into ${folder} failed; it is tried again in an hour.`);
      await wait(AGAIN_MS);
    }
  }
}
