import { spawnSync } from 'node:child_process';
import { join } from 'node:path';

/** Runs the command line as a person does. */
export function judoka(...args: string[]): { status: number | null; out: string; err: string } {
  const { NODE_OPTIONS: _, ...env } = process.env;
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    ['--no-warnings', '--import', 'tsx', join(import.meta.dirname, 'main.ts'), ...args],
    { encoding: 'utf8', env, cwd: import.meta.dirname },
  );
  return { status, out: stdout, err: stderr };
}
