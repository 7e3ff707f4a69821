// npm run worker: a process that does the heavy work of a place: of the one in `data` if it runs here, or of the one that
// DATABASE_URL names.
import { join } from 'node:path';
import { bundleServer } from './lib/bundles.mjs';
import { openPlace } from './lib/openPlace.mjs';
import { ensurePackages } from './lib/packages.mjs';
import { ROOT } from './lib/run.mjs';

try {
  ensurePackages();
  const place = await openPlace(process.env.JUDOKA_DATA ?? join(ROOT, 'data'));
  if (!place.isRunning) {
    await place.close();
    throw new Error('The place does not run here. Start it first, or set DATABASE_URL.');
  }
  process.env.DATABASE_URL = place.url;
  await import(join(await bundleServer(), '../worker.js'));
} catch (error) {
  console.error(error instanceof Error ? error.message : error);
  process.exitCode = 1;
}
