// npm run properties [-- ROUNDS]: the properties of the code with new cases, as often as asked. What fails tells its seed.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { ensurePackages } from './lib/packages.mjs';
import { ROOT, runLoud } from './lib/run.mjs';

const ROOMS = ['core', 'contract', 'web'];
const rounds = Number(process.argv[2] ?? 1);
const files = ROOMS.flatMap((room) =>
  readdirSync(join(ROOT, room), { recursive: true })
    .filter((name) => name.endsWith('.test.ts') && !name.includes('node_modules'))
    .map((name) => join(ROOT, room, name))
    .filter((path) => readFileSync(path, 'utf8').includes("from 'fast-check'")),
);

ensurePackages();
const jest = ['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js', '--silent'];
for (let round = 1; round <= rounds && !process.exitCode; round++) {
  console.log(`Round ${round} of ${rounds}`);
  process.exitCode = await runLoud(process.execPath, [...jest, '--runTestsByPath', ...files], {
    env: { ...process.env, NEW_CASES: '1' },
  });
}
