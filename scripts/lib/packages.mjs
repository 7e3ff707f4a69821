import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ROOT, run } from './run.mjs';

/** Installs the npm packages of the lock file, if that has not been done for this very lock file. */
export function ensurePackages() {
  const mark = join(ROOT, 'node_modules/.installed-lock');
  const hash = createHash('sha256')
    .update(readFileSync(join(ROOT, 'package-lock.json')))
    .digest('hex');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === hash) return;
  console.log('Installing npm packages …');
  run('npm', ['ci', '--no-audit', '--no-fund'], { env: { ...process.env, NODE_ENV: 'development' } });
  writeFileSync(mark, hash);
}
