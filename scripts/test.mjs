// npm test: sets up what is missing, then type check, lint, and all tests; ends with "N passed, N failed".
// Arguments name rooms to test alone: npm test -- core server
import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { ensurePackages } from './lib/packages.mjs';
import { throwawayPostgres } from './lib/postgres.mjs';
import { hasProgram, installDebian, ROOT, runLoud, runQuiet } from './lib/run.mjs';

const only = process.argv.slice(2);
const CACHE = join(ROOT, '.cache');
const started = Date.now();
const seconds = () => Math.round((Date.now() - started) / 1000);
let passed = 0;
let failed = 0;
let skipped = 0;

/** What a lane has to say is shown when a step of it has ended, so that two lanes do not speak at once. */
async function step(name, program, args, options) {
  const began = seconds();
  const { code, output } = await runQuiet(program, args, options);
  console.log(`\n— ${name} (${seconds() - began} s, done after ${seconds()} s)`);
  if (output.trim() !== '') console.log(output.trimEnd());
  return code === 0;
}

async function check(name, program, args, options) {
  if (await step(name, program, args, options)) passed++;
  else failed++;
}

async function jest(rooms, env) {
  const results = await runJest(`Tests: ${rooms.join(', ')}`, rooms, env);
  if (!results) {
    failed++;
    return;
  }
  // What a file before it leaves behind may keep a file from beginning: those are run once more, and it is told.
  const unbegun = results.testResults.filter(
    ({ status, assertionResults }) => status === 'failed' && assertionResults.length === 0,
  );
  const again =
    unbegun.length > 0
      ? await runJest(
          `Tests that did not begin, again`,
          rooms,
          env,
          unbegun.map(({ name }) => name),
        )
      : undefined;
  for (const each of again ? [results, again] : [results]) {
    passed += each.numPassedTests;
    failed += each.numFailedTests;
    skipped += each.numPendingTests;
    tellOf(each);
  }
  failed += (again ?? results).numRuntimeErrorTestSuites;
  if (unbegun.length > 0 && !again) failed++;
  if (!results.ok && results.numFailedTests + results.numRuntimeErrorTestSuites === 0) failed++;
}

function tellOf({ testResults }) {
  const slowest = testResults
    .map(({ name, startTime, endTime }) => ({ name, took: Math.round((endTime - startTime) / 1000) }))
    .filter(({ took }) => took >= 20)
    .sort((a, b) => b.took - a.took);
  for (const { name, took } of slowest) console.log(`${took} s  ${name.slice(ROOT.length + 1)}`);
  for (const suite of testResults) {
    for (const test of suite.assertionResults) {
      if (test.status === 'pending') console.log(`skipped: ${test.fullName}`);
      if (test.status === 'passed' && test.invocations > 1)
        console.log(`passed at the second try: ${test.fullName}`);
    }
  }
}

/** Runs the tests of rooms, or some files of theirs. @returns what Jest says of them; nothing where it says nothing */
async function runJest(title, rooms, env, files = []) {
  const report = join(CACHE, `jest-${rooms[0]}.json`);
  rmSync(report, { force: true });
  const ok = await step(
    title,
    process.execPath,
    [
      '--experimental-vm-modules',
      '--no-warnings',
      join(ROOT, 'node_modules/jest/bin/jest.js'),
      '--selectProjects',
      ...rooms,
      '--json',
      `--outputFile=${report}`,
      // A connection that nobody closed must not hold up the rest.
      '--forceExit',
      // Each file has a server, a database and a browser of its own: two go on at a time.
      ...(rooms.includes('e2e') ? ['--maxWorkers=2', '--testTimeout=120000'] : ['--maxWorkers=1']),
      ...(files.length > 0 ? ['--runTestsByPath', ...files] : []),
    ],
    { env: { ...process.env, ...env }, stdio: ['ignore', 'ignore', 'pipe'] },
  );
  try {
    return { ...JSON.parse(readFileSync(report, 'utf8')), ok };
  } catch {
    return undefined;
  }
}

/** Most steps use one core: two of them go on at a time. */
async function inLanes(steps) {
  const open = [...steps];
  const lane = async () => {
    for (let next = open.shift(); next; next = open.shift()) await next();
  };
  await Promise.all([lane(), lane()]);
}

function ensureBrowser() {
  if (hasProgram('chromium') && hasProgram('chromedriver')) return;
  installDebian(
    ['chromium', 'chromium-driver', 'tango-icon-theme'],
    'Chromium and its driver are needed for the browser tests.',
  );
}

let database;
try {
  mkdirSync(CACHE, { recursive: true });
  ensurePackages();
  const { buildKernels } = await import('./buildKernels.mjs');
  await buildKernels();
  const bin = (name) => join(ROOT, 'node_modules/.bin', name);
  const wanted = (room) => only.length === 0 || only.includes(room);
  const build = async () => {
    if ((await runLoud(process.execPath, [join(ROOT, 'scripts/build.mjs')])) !== 0)
      throw new Error('The build failed.');
  };
  if (wanted('server') || wanted('e2e'))
    database = await throwawayPostgres(join(ROOT, 'data'), 'postgres-test');
  const env = { DATABASE_URL: database?.url };
  if (wanted('server')) {
    const { bundleServer } = await import('./lib/bundles.mjs');
    env.JUDOKA_THREADS = dirname(await bundleServer());
  }
  const checks = [
    () => check('Lint', bin('eslint'), ['.', '--max-warnings', '0']),
    ...['.', 'web', 'core'].map(
      (project) => () => check(`Type check: ${project}`, bin('tsc'), ['-p', project]),
    ),
    () => check('Formatting', bin('prettier'), ['--check', '.', '--log-level', 'warn']),
    () => check('House', 'npm', ['run', '--silent', 'house']),
    () => check('Dead code', bin('knip'), ['--no-progress']),
  ];
  const tests = (rooms) =>
    rooms.filter(wanted).length > 0
      ? [() => jest(rooms.filter(wanted), rooms.includes('server') ? env : {})]
      : [];
  // Those that take longest first, so that both lanes end at about the same time.
  await inLanes([
    ...(wanted('scripts') ? [() => build().then(() => jest(['scripts'], {}))] : []),
    ...tests(['server']),
    ...tests(['cli', 'contract']),
    ...tests(['core']),
    ...(only.length === 0 ? checks.slice(0, 1) : []),
    ...tests(['web']),
    ...tests(['demo']),
    ...(only.length === 0 ? checks.slice(1) : []),
  ]);
  if (wanted('e2e')) {
    ensureBrowser();
    await build();
    await jest(['e2e'], env);
  }
} catch (error) {
  console.error(error instanceof Error ? error.message : error);
  failed++;
} finally {
  await database?.stop();
}
console.log(`\n${passed} passed, ${failed} failed${skipped > 0 ? `, ${skipped} skipped` : ''}`);
process.exitCode = failed > 0 ? 1 : 0;
