import { jobAnswer, type Job } from '@judoka/contract';
import { HttpError, request } from '../api/http.ts';

const LOOK_MS = [80, 120, 200, 300, 500];

/** What a job does, in words. */
export function jobWords({ state, before }: Pick<Job, 'state' | 'before'>): string {
  if (state === 'coming') return 'On its way';
  if (state !== 'waiting') return 'Reading it, and putting it on the shelf';
  return before === 0 ? 'Waiting its turn' : `Waiting its turn, ${before} before it`;
}

/**
 * Looks at a job until it is over; when `signal` stops it, so does the job.
 * @returns the character's id
 * @throws HttpError why it failed
 */
export async function followJob(
  job: Job,
  tell: (words: string) => void,
  signal: AbortSignal,
): Promise<string> {
  const path = `/api/jobs/${job.id}`;
  let now = job;
  for (let look = 0; now.state !== 'done'; look++) {
    if (now.state === 'failed') {
      // It is told here; the shelf need not tell it again.
      request(path, { method: 'DELETE' }).catch(() => undefined);
      throw new HttpError('file-invalid', now.failure ?? 'It could not be read.');
    }
    if (now.state === 'stopped') throw new DOMException('Stopped.', 'AbortError');
    tell(jobWords(now));
    await new Promise((resolve) => setTimeout(resolve, LOOK_MS[Math.min(look, LOOK_MS.length - 1)]));
    if (signal.aborted) {
      await request(path, { method: 'DELETE' }).catch(() => undefined);
      signal.throwIfAborted();
    }
    try {
      now = jobAnswer.parse(await (await request(path)).json());
    } catch (error) {
      // The server is away for a moment; the job goes on without anybody who looks.
      if (!(error instanceof HttpError) || !['offline', 'database-away'].includes(error.code)) throw error;
      tell('The server is away; this goes on when it is back');
    }
  }
  return now.id;
}
