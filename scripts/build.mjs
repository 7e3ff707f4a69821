// Builds what is older than its sources: the kernels, the server's bundle, the page. A process of its own, so that its memory
// is given back before the work begins.
import { statSync } from 'node:fs';
import { join } from 'node:path';
import { buildKernels } from './buildKernels.mjs';
import { bundleServer } from './lib/bundles.mjs';
import { newestIn } from './lib/newest.mjs';
import { ROOT } from './lib/run.mjs';

async function buildPage() {
  const built = statSync(join(ROOT, 'web/dist/index.html'), { throwIfNoEntry: false })?.mtimeMs ?? 0;
  const changed = Math.max(...['web', 'core/src', 'contract/src'].map((room) => newestIn(join(ROOT, room))));
  if (built > changed) return;
  console.log('Building the page …');
  const { build } = await import('vite');
  await build({ root: join(ROOT, 'web'), configFile: join(ROOT, 'web/vite.config.ts'), logLevel: 'warn' });
}

try {
  await buildKernels();
  await bundleServer();
  await buildPage();
} catch (error) {
  console.error(error instanceof Error ? error.message : error);
  process.exitCode = 1;
}
