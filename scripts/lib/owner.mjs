// One owner a place. The kernel's lock on a file is held by a small guard that outlives us: should we be killed, it ends
// what we had started, and only then lets the place go.
import { spawn } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { writeWhole } from './place.mjs';
import { beganAt } from './processes.mjs';

const BUSY = 75;
/** The server first, so that it can finish what it is writing; the database after it. */
const GUARD = `
echo held
while read -r name pid; do case $name in server) server=$pid ;; postgres) postgres=$pid ;; esac; done
leave() { [ "\${1:-0}" -gt 0 ] && kill -"$2" "$1" 2>/dev/null && while kill -0 "$1" 2>/dev/null; do sleep 0.1; done; }
leave "$server" TERM
leave "$postgres" INT
exit 0`;

/**
 * Takes a place for this process.
 * @param {{ lockFile: string, ownerFile: string }} place
 * @returns {Promise<{ started: (name: 'server' | 'postgres', pid: number) => void, tell: (address: string) => void,
 *   release: () => void } | { address: string }>} the hold; or where the one that has it can be reached ('' if not yet)
 */
export async function takePlace({ lockFile, ownerFile }) {
  const running = new Map();
  let isReleased = false;
  let guard = await holdLock(lockFile);
  if (!guard) return { address: addressIn(ownerFile) };
  const inform = (name) => guard?.stdin.write(`${name} ${running.get(name)}\n`);
  const watch = () =>
    guard.once('exit', async () => {
      // The guard itself was killed: another takes its post.
      guard = undefined;
      if (isReleased) return;
      guard = await holdLock(lockFile).catch(() => undefined);
      if (!guard) return;
      watch();
      for (const name of running.keys()) inform(name);
    });
  watch();
  const write = (address) =>
    writeWhole(ownerFile, JSON.stringify({ pid: process.pid, began: beganAt(process.pid), address }));
  write('');
  return {
    started: (name, pid) => {
      running.set(name, pid);
      inform(name);
    },
    tell: write,
    release: () => {
      isReleased = true;
      guard?.stdin.end();
    },
  };
}

/** @returns the guard that holds the lock; undefined where another one has it */
async function holdLock(lockFile) {
  const guard = spawn('flock', ['-n', '-F', '-E', String(BUSY), lockFile, 'sh', '-c', GUARD], {
    stdio: ['pipe', 'pipe', 'ignore'],
    detached: true,
  });
  guard.stdin.on('error', () => undefined);
  const held = await new Promise((resolve, reject) => {
    guard.once('error', (error) => reject(new Error(`“flock” could not be run: ${error.message}`)));
    guard.once('exit', (code) => {
      if (code === BUSY) resolve(false);
      else reject(new Error(`${lockFile} cannot be locked: may this user write there?`));
    });
    guard.stdout.once('data', () => resolve(true));
  });
  if (!held) return undefined;
  guard.unref();
  for (const stream of [guard.stdin, guard.stdout]) stream.unref?.();
  return guard;
}

function addressIn(card) {
  if (!existsSync(card)) return '';
  try {
    const { pid, began, address } = JSON.parse(readFileSync(card, 'utf8'));
    return began === beganAt(pid) ? address : '';
  } catch {
    return '';
  }
}
