// What other processes are, as Linux tells in /proc: a number alone says nothing, it may be given to another one.
import { readFileSync, readdirSync, readlinkSync } from 'node:fs';
import { setTimeout as pause } from 'node:timers/promises';

const read = (file) => {
  try {
    return readFileSync(file, 'utf8');
  } catch {
    return '';
  }
};

/** When a process began, in the kernel's ticks; with its number this names it for good. '' for none. */
export function beganAt(pid) {
  const line = read(`/proc/${pid}/stat`);
  // The name may have spaces and brackets: what counts comes after the last one. A zombie is none.
  const [state, ...rest] = line.slice(line.lastIndexOf(')') + 2).split(' ');
  return state === 'Z' ? '' : (rest[18] ?? '');
}

export const isAlive = (pid) => beganAt(pid) !== '';

/** The numbers of all processes of PostgreSQL that work in a cluster's folder. */
export function processesIn(cluster) {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .map(Number)
    .filter((pid) => {
      try {
        return readlinkSync(`/proc/${pid}/cwd`) === cluster;
      } catch {
        return false;
      }
    });
}

/** Sends a signal; whether there was somebody to get it. */
export function send(pid, signal) {
  try {
    process.kill(pid, signal);
    return true;
  } catch {
    return false;
  }
}

/** Waits until a condition holds. @returns whether it did in time */
export async function until(condition, patienceMs, stepMs = 50) {
  const end = Date.now() + patienceMs;
  while (!(await condition())) {
    if (Date.now() > end) return false;
    await pause(stepMs);
  }
  return true;
}
