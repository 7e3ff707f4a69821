// npm run bench: performance as ratios in one run. npm run bench -- page: the page in a real browser.
// npm run bench -- painters: many who paint on one character at once.
// npm run bench -- history: a character with ten thousand edits.
// npm run bench -- rescue: bringing back, comparing and transferring alone.
// npm run bench -- drawing: a flat character of many layers alone.
// npm run bench -- deliver: COLLADA, export, what limits cost, the report.
// npm run bench -- cures: relaxed looks, baking, cures.
// npm run bench -- clothes: parts that follow others.
// npm run bench -- mesh: loops, and points moved at rest.
// npm run bench -- quality [FILE.glb…]: bindings against painted weights.
// npm run bench -- strays [FILE.glb…]: foreign weight planted, found and removed.
import { join } from 'node:path';
import { ensurePackages } from './lib/packages.mjs';
import { throwawayPostgres } from './lib/postgres.mjs';
import { ROOT, runLoud } from './lib/run.mjs';

ensurePackages();
const { buildKernels } = await import('./buildKernels.mjs');
await buildKernels();
const tsx = ['--no-warnings', '--max-old-space-size=8192', '--import', 'tsx'];
if (['page', 'painters', 'history'].includes(process.argv[2])) {
  const { bundleServer } = await import('./lib/bundles.mjs');
  await bundleServer();
  if (process.argv[2] === 'page') {
    const { build } = await import('vite');
    await build({ root: join(ROOT, 'web'), configFile: join(ROOT, 'web/vite.config.ts'), logLevel: 'warn' });
  }
  const database = await throwawayPostgres(join(ROOT, 'data'), 'postgres-test');
  try {
    const env = { ...process.env, DATABASE_URL: database.url };
    process.exitCode = await runLoud(
      process.execPath,
      [...tsx, join(ROOT, `benchmarks/src/${process.argv[2]}.ts`)],
      {
        env,
      },
    );
  } finally {
    await database.stop();
  }
} else {
  const mains = {
    quality: 'benchmarks/src/quality/main.ts',
    strays: 'benchmarks/src/quality/strayMain.ts',
    rescue: 'benchmarks/src/rescueMain.ts',
    drawing: 'benchmarks/src/drawingMain.ts',
    deliver: 'benchmarks/src/deliverMain.ts',
    cures: 'benchmarks/src/curesMain.ts',
    clothes: 'benchmarks/src/clothesMain.ts',
    mesh: 'benchmarks/src/meshMain.ts',
  };
  const own = mains[process.argv[2]];
  const main = join(ROOT, own ?? 'benchmarks/src/main.ts');
  process.exitCode = await runLoud(process.execPath, [...tsx, main, ...process.argv.slice(own ? 3 : 2)]);
}
