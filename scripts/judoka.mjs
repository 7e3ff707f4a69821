// npm run --silent judoka -- info FILE --json: the command line, set up first where that is needed.
import { ensurePackages } from './lib/packages.mjs';

// Standard output belongs to the command alone.
const { log } = console;
console.log = (...words) => console.error(...words);
ensurePackages();
const { buildKernels } = await import('./buildKernels.mjs');
await buildKernels();
const { bundleCli } = await import('./lib/bundles.mjs');
const cli = await bundleCli();
console.log = log;
if (process.env.INIT_CWD) process.chdir(process.env.INIT_CWD);
await import(cli);
