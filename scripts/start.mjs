// npm start: everything from a fresh clone to a page that can be opened. Node built-ins only until packages are there.
import { spawn } from 'node:child_process';
import { existsSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { newestIn } from './lib/newest.mjs';
import { ensurePackages } from './lib/packages.mjs';
import { freePort, startPostgres } from './lib/postgres.mjs';
import { ROOT } from './lib/run.mjs';

const DATA = process.env.JUDOKA_DATA ?? join(ROOT, 'data');

async function buildPage() {
  const { buildKernels } = await import('./buildKernels.mjs');
  await buildKernels();
  const built = statSync(join(ROOT, 'web/dist/index.html'), { throwIfNoEntry: false })?.mtimeMs ?? 0;
  const changed = Math.max(...['web', 'core/src', 'contract/src'].map((room) => newestIn(join(ROOT, room))));
  if (built > changed) return;
  console.log('Building the page …');
  const { build } = await import('vite');
  await build({ root: join(ROOT, 'web'), configFile: join(ROOT, 'web/vite.config.ts'), logLevel: 'warn' });
}

async function main() {
  ensurePackages();
  let database;
  let server;
  let ending = false;
  const end = (code) => {
    if (ending) return;
    ending = true;
    const finish = () => {
      database?.stop();
      process.exit(code);
    };
    if (!server || server.exitCode !== null) return finish();
    server.once('exit', finish);
    server.kill('SIGTERM');
  };
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => end(0));

  try {
    if (!process.env.DATABASE_URL) database = await startPostgres(DATA);
    await buildPage();
    const { bundleServer } = await import('./lib/bundles.mjs');
    const main = await bundleServer();
    const wanted = Number(process.env.PORT ?? 4600);
    const port = await freePort(wanted);
    if (port !== wanted) console.log(`Port ${wanted} is busy; taking ${port}.`);
    // Its own process group, so that Ctrl+C reaches it through us and it can finish what it is writing.
    server = spawn(process.execPath, [main], {
      cwd: ROOT,
      stdio: ['ignore', 'inherit', 'inherit'],
      detached: true,
      env: {
        ...process.env,
        NODE_ENV: 'production',
        PORT: String(port),
        DATABASE_URL: process.env.DATABASE_URL ?? database.url,
        JUDOKA_DATA: DATA,
        JUDOKA_LOCAL_ACCOUNT: process.env.JUDOKA_LOCAL_ACCOUNT ?? '1',
      },
    });
    server.once('exit', (code) => end(code ?? 1));
  } catch (error) {
    console.error(error instanceof Error ? error.message : error);
    end(1);
  }
}

if (!existsSync(join(ROOT, 'package-lock.json'))) {
  console.error('package-lock.json is missing: this is not a whole checkout.');
  process.exit(1);
}
await main();
