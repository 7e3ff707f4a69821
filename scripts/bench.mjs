// npm run bench: performance as ratios in one run. npm run bench -- core|page runs one half.
import { join } from 'node:path';
import { ensurePackages } from './lib/packages.mjs';
import { ROOT, runLoud } from './lib/run.mjs';

ensurePackages();
const { buildKernels } = await import('./buildKernels.mjs');
await buildKernels();
process.exitCode = await runLoud(process.execPath, [
  '--no-warnings',
  '--expose-gc',
  '--max-old-space-size=8192',
  '--import',
  'tsx',
  join(ROOT, 'bench/src/main.ts'),
]);
