import { Worker } from 'node:worker_threads';
import { CoreError, type CoreErrorCode, type ErrorDetail } from '@judoka/core/errors';
import type { JointSetups } from '@judoka/core/skeleton';

export type HeavyJob =
  | { readonly kind: 'import'; readonly bytes: Uint8Array }
  | {
      readonly kind: 'export';
      readonly source: Uint8Array;
      readonly weights: Uint8Array;
      readonly setups: JointSetups;
    };

/** What the shelf shows of a character, and which of its parts have weights of their own. */
export interface Summary {
  readonly parts: number;
  readonly points: number;
  readonly joints: number;
  readonly troubles: readonly string[];
  readonly arrival: readonly string[];
  readonly skinned: readonly boolean[];
}

export interface Imported {
  readonly summary: Summary;
  /** Joints that no binding should give weight to: roots that no part of the body lies about. */
  readonly still: number[];
  readonly weights: Uint8Array;
  readonly picture: Uint8Array;
}

export type HeavyAnswer =
  | { readonly ok: true; readonly result: unknown }
  | {
      readonly ok: false;
      readonly code: CoreErrorCode;
      readonly message: string;
      readonly detail: ErrorDetail;
    };

/** Jobs at a time: a file of 256 MB takes memory for itself several times over. */
const AT_ONCE = 2;
let running = 0;
const waiting: (() => void)[] = [];

export function importGlb(bytes: Uint8Array): Promise<Imported> {
  return runJob({ kind: 'import', bytes }) as Promise<Imported>;
}

export function exportGlb(source: Uint8Array, weights: Uint8Array, setups: JointSetups): Promise<Uint8Array> {
  return runJob({ kind: 'export', source, weights, setups }) as Promise<Uint8Array>;
}

async function runJob(job: HeavyJob): Promise<unknown> {
  if (running >= AT_ONCE) await new Promise<void>((resolve) => waiting.push(resolve));
  running++;
  try {
    const answer = await inWorker(job);
    if (answer.ok) return answer.result;
    throw new CoreError(answer.code, answer.message, answer.detail);
  } finally {
    running--;
    waiting.shift()?.();
  }
}

function inWorker(job: HeavyJob): Promise<HeavyAnswer> {
  return new Promise((resolve, reject) => {
    const worker = new Worker(new URL('./startWorker.mjs', import.meta.url), {
      workerData: job,
      execArgv: [],
      resourceLimits: { maxOldGenerationSizeMb: 4096 },
    });
    worker.once('message', (answer: HeavyAnswer) => resolve(answer));
    worker.once('error', reject);
    worker.once('exit', (code) =>
      reject(new Error(`The worker ended with code ${code} before it answered.`)),
    );
  });
}
