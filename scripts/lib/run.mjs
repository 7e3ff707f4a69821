import { spawn, spawnSync } from 'node:child_process';
import { dirname, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

/** The project's folder. */
export const ROOT = dirname(dirname(dirname(fileURLToPath(import.meta.url))));

/** A path as the person who typed it means it: npm runs scripts in the project's folder. */
export const pathFrom = (path) => resolve(process.env.INIT_CWD ?? process.cwd(), path);

/** Runs a program to its end; its output is shown only if it fails. */
export function run(program, args, options = {}) {
  const result = spawnSync(program, args, { cwd: ROOT, encoding: 'utf8', maxBuffer: 64 << 20, ...options });
  if (result.error) throw new Error(`“${program}” could not be run: ${result.error.message}`);
  if (result.status !== 0) {
    throw new Error(`“${program} ${args.join(' ')}” failed:\n${result.stdout ?? ''}${result.stderr ?? ''}`);
  }
  return result.stdout ?? '';
}

/** Runs a program with its output passed through; resolves to its exit code. */
export function runLoud(program, args, options = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(program, args, { cwd: ROOT, stdio: 'inherit', ...options });
    child.on('error', reject);
    child.on('exit', (code, signal) => resolve(signal ? 1 : (code ?? 1)));
  });
}

/** Runs a program to its end; resolves to its exit code and to all that it said. */
export function runQuiet(program, args, options = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(program, args, { cwd: ROOT, stdio: ['ignore', 'pipe', 'pipe'], ...options });
    let output = '';
    for (const stream of [child.stdout, child.stderr]) stream?.on('data', (bytes) => (output += bytes));
    child.on('error', reject);
    child.on('close', (code, signal) => resolve({ code: signal ? 1 : (code ?? 1), output }));
  });
}

export const isRoot = () => process.getuid?.() === 0;

let databaseIds;
/** PostgreSQL refuses to run as root, so root runs it as the user `postgres`: what `spawn` needs for that. */
export function databaseUser() {
  if (!isRoot()) return { cwd: '/' };
  const id = (flag) => Number(run('id', [flag, 'postgres']));
  databaseIds ??= { uid: id('-u'), gid: id('-g') };
  return { cwd: '/', ...databaseIds };
}

/** Runs a program to its end as the database's user; what came of it. */
export function asDatabaseUser(program, args, options = {}) {
  return spawnSync(program, args, { encoding: 'utf8', ...databaseUser(), ...options });
}

/** Whether a program is on the path. */
export function hasProgram(name) {
  return spawnSync('sh', ['-c', `command -v ${name}`], { stdio: 'ignore' }).status === 0;
}

/** Installs Debian packages, or says which ones are missing where that needs root. */
export function installDebian(packages, why) {
  if (!isRoot() || !hasProgram('apt-get')) {
    throw new Error(`${why} Install it first: apt-get install ${packages.join(' ')}`);
  }
  console.log(`Installing ${packages.join(', ')} from Debian's packages …`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  run('apt-get', ['update', '-qq'], { env });
  run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...packages], { env });
}
