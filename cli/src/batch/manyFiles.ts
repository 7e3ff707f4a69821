import { fork, type ChildProcess } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { findFiles, checkNames } from './findFiles.ts';
import { runFile, type FileOutcome } from './runFile.ts';
import type { Step } from './steps.ts';

export interface ManyOptions {
  readonly out: string;
  readonly json?: boolean;
  /** Files at a time; as many as there are processors without. */
  readonly workers?: number;
}

/** What a worker is asked, and what it answers. */
export interface FileTask {
  readonly file: string;
  readonly steps: readonly Step[];
  readonly out: string;
  readonly at: string;
}

/** The word by which this program knows that it is a worker of its own. */
export const WORKER = '--as-worker-of-judoka';

/**
 * Does steps to many files, on all processors; goes on after a failure. Progress goes to standard error, a table or a line of
 * JSON a file to standard output.
 * @returns the exit code of the worst
 */
export async function runMany(
  paths: readonly string[],
  steps: readonly Step[],
  { out, json = false, workers = availableParallelism() }: ManyOptions,
): Promise<number> {
  const files = findFiles(paths);
  if (steps.some((step) => step.do !== 'check')) checkNames(files);
  mkdirSync(out, { recursive: true });
  const at = new Date();
  const outcomes: FileOutcome[] = [];
  const take = (outcome: FileOutcome): void => {
    outcomes.push(outcome);
    if (json) process.stdout.write(`${JSON.stringify(outcome)}\n`);
    if (process.stderr.isTTY)
      process.stderr.write(`\r${outcomes.length} of ${files.length}: ${outcome.file}\u001b[K`);
  };
  if (files.length === 1) take(await runFile(files[0], steps, { out, at }));
  else await inProcesses(files, steps, out, at, Math.min(workers, files.length), take);
  if (process.stderr.isTTY) process.stderr.write('\n');
  if (!json) process.stdout.write(asTable(files, outcomes));
  return Math.max(...outcomes.map(({ code }) => code));
}

/** Hands files to processes of this program; one that dies takes its file with it, and another takes its place. */
async function inProcesses(
  files: readonly string[],
  steps: readonly Step[],
  out: string,
  at: Date,
  count: number,
  take: (outcome: FileOutcome) => void,
): Promise<void> {
  const waiting = [...files];
  const work = async (): Promise<void> => {
    let worker: ChildProcess | undefined;
    for (let file = waiting.shift(); file !== undefined; file = waiting.shift()) {
      worker ??= fork(process.argv[1], [WORKER], { stdio: ['ignore', 'ignore', 'inherit', 'ipc'] });
      const outcome = await ask(worker, { file, steps, out, at: at.toISOString() });
      take(
        outcome ?? {
          file,
          code: 2,
          failure: 'Its process ended: perhaps there is not memory enough.',
          steps: [],
        },
      );
      if (!outcome) worker = undefined;
    }
    worker?.kill();
  };
  await Promise.all(Array.from({ length: count }, work));
}

function ask(worker: ChildProcess, task: FileTask): Promise<FileOutcome | undefined> {
  return new Promise((resolve) => {
    const answer = (outcome: unknown): void => end(outcome as FileOutcome);
    const gone = (): void => end(undefined);
    const end = (outcome: FileOutcome | undefined): void => {
      worker.off('message', answer);
      worker.off('exit', gone);
      resolve(outcome);
    };
    worker.on('message', answer);
    worker.on('exit', gone);
    worker.send(task);
  });
}

const CODES = ['fine', 'look at', 'failed'];

/** A line a file, in the order in which they were named. */
function asTable(files: readonly string[], outcomes: readonly FileOutcome[]): string {
  const byFile = new Map(outcomes.map((outcome) => [outcome.file, outcome]));
  const width = Math.max(...files.map((file) => file.length));
  const lines = files.flatMap((file) => {
    const outcome = byFile.get(file);
    if (!outcome) return [];
    const words = [
      ...outcome.steps.map(({ step, words: own }) => `${step}: ${own}`),
      ...(outcome.failure ? [outcome.failure] : []),
    ];
    return [`${file.padEnd(width)}  ${CODES[outcome.code].padEnd(8)} ${words.join('; ')}`];
  });
  const counts = CODES.flatMap((word, code) => {
    const count = outcomes.filter((outcome) => outcome.code === code).length;
    return count > 0 ? [`${count} ${word}`] : [];
  });
  return `${lines.join('\n')}\n${counts.join(', ')}\n`;
}

/** The life of a worker: file after file, until nobody asks any more. */
export function workForOthers(): void {
  process.on('message', (task: FileTask) => {
    const { file, steps, out, at } = task;
    void runFile(file, steps, { out, at: new Date(at) }).then((outcome) => process.send?.(outcome));
  });
  process.on('disconnect', () => process.exit(0));
}
