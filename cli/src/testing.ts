import { spawnSync } from 'node:child_process';
import { join } from 'node:path';

/** Runs the command line as a person does: as it is bundled for every day, anew where something has changed. */
export function judoka(...args: string[]): { status: number | null; out: string; err: string } {
  const { NODE_OPTIONS: _, ...env } = process.env;
  const here = import.meta.dirname;
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    ['--no-warnings', join(here, '../../scripts/judoka.mjs'), ...args],
    { encoding: 'utf8', env: { ...env, INIT_CWD: here }, cwd: here },
  );
  return { status, out: stdout, err: stderr };
}
