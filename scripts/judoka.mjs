// npm run --silent judoka -- info FILE --json: the command line, set up first where that is needed.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { ensurePackages } from './lib/packages.mjs';
import { ROOT } from './lib/run.mjs';

// Standard output belongs to the command alone.
console.log = (...words) => console.error(...words);
ensurePackages();
const { buildKernels } = await import('./buildKernels.mjs');
await buildKernels();
const { status } = spawnSync(
  process.execPath,
  [
    '--no-warnings',
    '--import',
    import.meta.resolve('tsx'),
    join(ROOT, 'cli/src/main.ts'),
    ...process.argv.slice(2),
  ],
  { stdio: 'inherit', cwd: process.env.INIT_CWD ?? process.cwd(), env: process.env },
);
process.exit(status ?? 2);
