// Keeps a process running: started again when it dies, after pauses that grow, until it is ended on purpose.
import { setTimeout as pause } from 'node:timers/promises';

const FIRST_PAUSE_MS = 500;
const LONGEST_PAUSE_MS = 30_000;
/** A process that ran so long starts with a short pause again. */
const STEADY_MS = 60_000;
/** The exit code with which a process says that starting it again would not help (EX_CONFIG of sysexits.h). */
export const CANNOT_GO_ON = 78;

/** The pause before the next start, after so many deaths in a row. */
export const pauseAfter = (deaths) => Math.min(LONGEST_PAUSE_MS, FIRST_PAUSE_MS * 2 ** (deaths - 1));

/**
 * @param {{ name: string, start: (tell: (child: import('node:child_process').ChildProcess) => void) =>
 *   Promise<import('node:child_process').ChildProcess>, log: (line: string) => void,
 *   onStart?: (child: import('node:child_process').ChildProcess) => void }} what start resolves when it is ready
 * @returns {{ ready: Promise<void>, failed: Promise<Error>, stop: (signal: string) => Promise<void> }} ready: it was up
 *   once, or never will be (rejected); failed: resolves when it cannot go on after having been up
 */
export function supervise({ name, start, log, onStart = () => undefined }) {
  let child;
  let isStopping = false;
  const wake = new AbortController();
  let hasBeenUp = false;
  let settleReady;
  let settleFailed;
  const ready = new Promise((resolve, reject) => (settleReady = { resolve, reject }));
  const failed = new Promise((resolve) => (settleFailed = resolve));
  const giveUp = (error) => (hasBeenUp ? settleFailed(error) : settleReady.reject(error));

  const once = async () => {
    child = await start((started) => {
      child = started;
      onStart(started);
    });
    hasBeenUp = true;
    settleReady.resolve();
    return ended(child);
  };
  const loop = (async () => {
    for (let deaths = 1; !isStopping; deaths++) {
      const began = Date.now();
      const end = await once().catch((error) => ({ error, code: error.code }));
      if (isStopping) return;
      if (end.code === CANNOT_GO_ON || !hasBeenUp)
        return giveUp(end.error ?? new Error(`The ${name} ended at once (${wordsOf(end)}).`));
      if (Date.now() - began > STEADY_MS) deaths = 1;
      const waiting = pauseAfter(deaths);
      log(`The ${name} ended (${wordsOf(end)}). It is started again in ${waiting / 1000} s.`);
      await pause(waiting, undefined, { signal: wake.signal }).catch(() => undefined);
    }
  })();

  return {
    ready,
    failed,
    stop: async (signal) => {
      isStopping = true;
      wake.abort();
      if (child && child.exitCode === null && child.signalCode === null) child.kill(signal);
      await loop;
    },
  };
}

export const ended = (child) =>
  child.exitCode !== null || child.signalCode !== null
    ? Promise.resolve({ code: child.exitCode, signal: child.signalCode })
    : new Promise((resolve) => child.once('exit', (code, signal) => resolve({ code, signal })));

const wordsOf = ({ code, signal, error }) => error?.message ?? (signal ? `signal ${signal}` : `code ${code}`);
