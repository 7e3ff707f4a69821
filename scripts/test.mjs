// npm test: sets up what is missing, then type check, lint, and all tests; ends with "N passed, N failed".
// Arguments name rooms to test alone: npm test -- core server
import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { ensurePackages } from './lib/packages.mjs';
import { throwawayPostgres } from './lib/postgres.mjs';
import { hasProgram, installDebian, ROOT, runLoud } from './lib/run.mjs';

const only = process.argv.slice(2);
const CACHE = join(ROOT, '.cache');
let passed = 0;
let failed = 0;
let skipped = 0;

async function check(name, program, args, options) {
  console.log(`\n— ${name}`);
  const ok = (await runLoud(program, args, options)) === 0;
  if (ok) passed++;
  else failed++;
  return ok;
}

async function jest(rooms, env) {
  const report = join(CACHE, 'jest.json');
  rmSync(report, { force: true });
  console.log(`\n— Tests: ${rooms.join(', ')}`);
  const code = await runLoud(
    process.execPath,
    [
      '--experimental-vm-modules',
      '--no-warnings',
      join(ROOT, 'node_modules/jest/bin/jest.js'),
      '--selectProjects',
      ...rooms,
      '--json',
      `--outputFile=${report}`,
      // Browser tests share one machine with the browser: one at a time.
      ...(rooms.includes('e2e') ? ['--runInBand'] : []),
    ],
    { env: { ...process.env, ...env }, stdio: ['ignore', 'ignore', 'inherit'] },
  );
  let results;
  try {
    results = JSON.parse(readFileSync(report, 'utf8'));
  } catch {
    failed++;
    return;
  }
  passed += results.numPassedTests;
  failed += results.numFailedTests + results.numRuntimeErrorTestSuites;
  skipped += results.numPendingTests;
  for (const suite of results.testResults) {
    for (const test of suite.assertionResults)
      if (test.status === 'pending') console.log(`skipped: ${test.fullName}`);
  }
  if (code !== 0 && results.numFailedTests + results.numRuntimeErrorTestSuites === 0) failed++;
}

function ensureBrowser() {
  if (hasProgram('chromium') && hasProgram('chromedriver')) return;
  installDebian(['chromium', 'chromium-driver'], 'Chromium and its driver are needed for the browser tests.');
}

let database;
try {
  mkdirSync(CACHE, { recursive: true });
  ensurePackages();
  const { buildKernels } = await import('./buildKernels.mjs');
  await buildKernels();
  const bin = (name) => join(ROOT, 'node_modules/.bin', name);
  const wanted = (room) => only.length === 0 || only.includes(room);
  if (only.length === 0) {
    for (const project of ['core', 'web', '.'])
      await check(`Type check: ${project}`, bin('tsc'), ['-p', project]);
    await check('Lint', bin('eslint'), ['.', '--max-warnings', '0']);
    await check('House', 'npm', ['run', '--silent', 'house']);
    await check('Dead code', bin('knip'), ['--no-progress']);
    await check('Formatting', bin('prettier'), ['--check', '.', '--log-level', 'warn']);
  }
  const pure = ['core', 'contract', 'demo', 'cli', 'web'].filter(wanted);
  if (pure.length > 0) await jest(pure, {});
  if (wanted('scripts')) {
    if ((await runLoud(process.execPath, [join(ROOT, 'scripts/build.mjs')])) !== 0)
      throw new Error('The build failed.');
    await jest(['scripts'], {});
  }
  if (wanted('server') || wanted('e2e')) {
    database = await throwawayPostgres(join(ROOT, 'data'), 'postgres-test');
    if (wanted('server')) await jest(['server'], { DATABASE_URL: database.url });
    if (wanted('e2e')) {
      ensureBrowser();
      console.log('\n— Building the server and the page');
      const { bundleServer } = await import('./lib/bundles.mjs');
      await bundleServer();
      const { build } = await import('vite');
      await build({
        root: join(ROOT, 'web'),
        configFile: join(ROOT, 'web/vite.config.ts'),
        logLevel: 'warn',
      });
      await jest(['e2e'], { DATABASE_URL: database.url });
    }
  }
} catch (error) {
  console.error(error instanceof Error ? error.message : error);
  failed++;
} finally {
  await database?.stop();
}
console.log(`\n${passed} passed, ${failed} failed${skipped > 0 ? `, ${skipped} skipped` : ''}`);
process.exitCode = failed > 0 ? 1 : 0;
