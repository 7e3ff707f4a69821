// npm run worker: a process that does the heavy work of a place: of the one in `data` if it runs here, or of the one that
// DATABASE_URL names.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { bundleServer } from './lib/bundles.mjs';
import { openPlace } from './lib/openPlace.mjs';
import { ensurePackages } from './lib/packages.mjs';
import { ROOT } from './lib/run.mjs';
import { ended } from './lib/supervise.mjs';

let place;
try {
  ensurePackages();
  place = await openPlace(process.env.JUDOKA_DATA ?? join(ROOT, 'data'));
  if (!place.isRunning) throw new Error('The place does not run here. Start it first, or set DATABASE_URL.');
  const file = join(await bundleServer(), '../worker.js');
  const child = spawn(process.execPath, [file], {
    stdio: 'inherit',
    env: { ...process.env, NODE_ENV: 'production', DATABASE_URL: place.url },
  });
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => child.kill('SIGTERM'));
  process.exitCode = (await ended(child)).code ?? 1;
} catch (error) {
  console.error(error instanceof Error ? error.message : error);
  process.exitCode = 1;
} finally {
  await place?.close();
}
