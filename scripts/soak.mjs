// npm run soak: 300 kills of any process in 1,500 strokes; nothing may be lost or doubled. Takes half an hour or so.
import { ensurePackages } from './lib/packages.mjs';
import { runLoud } from './lib/run.mjs';

ensurePackages();
process.exitCode = await runLoud(
  process.execPath,
  [
    ...['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js'],
    ...['--selectProjects', 'scripts', '--testPathPatterns', 'soak'],
  ],
  { env: { ...process.env, SOAK_STROKES: '1500', SOAK_KILLS: '300' } },
);
