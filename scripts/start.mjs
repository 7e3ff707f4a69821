// npm start: everything from a fresh clone to a page that can be opened, kept running until a signal ends it. Node built-ins
// only: packages may not be there yet. Exit codes: 0 ended by a signal, or this place runs already; 1 it cannot go on.
import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { makeEntryKey, withoutKey } from './lib/entryKey.mjs';
import { takePlace } from './lib/owner.mjs';
import { ensurePackages } from './lib/packages.mjs';
import { findPlace } from './lib/place.mjs';
import { freePort, runPostgres } from './lib/postgres.mjs';
import { until } from './lib/processes.mjs';
import { rotatingLog } from './lib/rotatingLog.mjs';
import { ROOT, runLoud } from './lib/run.mjs';
import { DEFAULT_SCHEDULE, readSchedule } from './lib/schedule.mjs';
import { ended, supervise } from './lib/supervise.mjs';

const DATA = process.env.JUDOKA_DATA ?? join(ROOT, 'data');
const SERVER = join(ROOT, 'server/dist/main.js');

let hold;
let database;
let server;
let ending;
const stopping = new AbortController();

/** Ends everything, the server first. What is not up yet is ended by the place's guard. */
function end(code) {
  ending ??= (async () => {
    stopping.abort();
    await server?.stop('SIGTERM');
    await database?.stop();
    hold?.release();
    process.exit(code);
  })();
  return ending;
}

async function main() {
  if (!existsSync(join(ROOT, 'package-lock.json')))
    throw new Error('package-lock.json is missing: this is not a whole checkout.');
  const schedule = readSchedule(process.env.JUDOKA_BACKUP ?? DEFAULT_SCHEDULE);
  const place = findPlace(DATA);
  hold = await takeOrTell(place);
  if (!hold) return;
  const log = rotatingLog(join(place.data, 'logs/judoka.log'));
  const say = (line) => {
    console.log(line);
    log(`${new Date().toISOString()} ${line}\n`);
  };
  ensurePackages();
  if ((await runLoud(process.execPath, [join(ROOT, 'scripts/build.mjs')])) !== 0)
    throw new Error('The build failed; what it says stands above.');
  let url = process.env.DATABASE_URL;
  if (!url) {
    say(`The data are in ${place.cluster}`);
    const write = rotatingLog(join(place.data, 'logs/postgres.log'));
    database = await runPostgres(place, { log: say, write, onStart: (pid) => hold.started('postgres', pid) });
    ({ url } = database);
  }
  const backups = process.env.JUDOKA_BACKUP_FOLDER ?? join(place.data, 'backups');
  const { backupBeforeMigration, keepBackups } = await import('./lib/backups.mjs');
  await backupBeforeMigration(url, backups, { JUDOKA_DATA: place.data });
  server = await runServer({ place, url, say, log });
  if (schedule)
    void keepBackups(schedule, backups, {
      env: { JUDOKA_DATA: place.data },
      log: say,
      signal: stopping.signal,
    });
  const failures = [server.failed, ...(database ? [database.failed] : [])];
  throw await Promise.race(failures);
}

/** @returns the hold of the place; undefined where another start has it, which has been said then */
async function takeOrTell(place) {
  let taken;
  // One that was killed is still being cleared away after.
  const isSettled = async () => {
    taken = await takePlace(place);
    return !('address' in taken) || taken.address !== '';
  };
  if (!(await until(isSettled, 10_000, 500)))
    throw new Error(
      `Another start is at work in ${place.data} and has no address yet. Wait a moment and try again.`,
    );
  if (!('address' in taken)) return taken;
  console.log(`Judoka already runs for ${place.data}, at ${taken.address}${await keyFor(place)}`);
  return undefined;
}

/** A new key for whoever is at this machine; nothing where the running server gives none. */
async function keyFor(place) {
  if (process.env.JUDOKA_LOCAL_ACCOUNT === '0') return '';
  try {
    const { runningUrl } = await import('./lib/openPlace.mjs');
    return `/enter#${await makeEntryKey(process.env.DATABASE_URL ?? runningUrl(place))}`;
  } catch {
    return '';
  }
}

async function runServer({ place, url, say, log }) {
  const wanted = Number(process.env.PORT ?? 4600);
  const port = await freePort(wanted);
  if (port !== wanted) say(`Port ${wanted} is busy; taking ${port}.`);
  const env = {
    ...process.env,
    NODE_ENV: 'production',
    PORT: String(port),
    DATABASE_URL: url,
    JUDOKA_DATA: place.data,
    JUDOKA_LOCAL_ACCOUNT: process.env.JUDOKA_LOCAL_ACCOUNT ?? '1',
  };
  const keeper = supervise({
    name: 'server',
    log: say,
    onStart: (child) => hold.started('server', child.pid),
    start: async (tell) => {
      // Its own session, so that Ctrl+C reaches it through us and it can finish what it is writing.
      const child = spawn(process.execPath, [SERVER], {
        cwd: ROOT,
        stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
        detached: true,
        env,
      });
      for (const [from, to] of [
        [child.stdout, process.stdout],
        [child.stderr, process.stderr],
      ])
        from.on('data', (text) => {
          to.write(text);
          log(withoutKey(String(text)));
        });
      tell(child);
      const isUp = await Promise.race([
        new Promise((resolve) => child.once('message', () => resolve(true))),
        ended(child).then((end) => end),
      ]);
      if (isUp === true) return child;
      throw Object.assign(
        new Error('The server ended before it could answer; its reason stands above.'),
        isUp,
      );
    },
  });
  await keeper.ready;
  hold.tell(process.env.JUDOKA_ADDRESS ?? `http://localhost:${port}`);
  return keeper;
}

for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void end(0));
try {
  await main();
} catch (error) {
  if (!ending) {
    console.error(error instanceof Error ? error.message : error);
    await end(1);
  }
}
