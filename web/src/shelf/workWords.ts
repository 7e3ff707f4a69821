import type { Job } from '@judoka/contract';

/** Jobs that were asked for together. */
export interface Batch {
  readonly id: string;
  readonly jobs: readonly Job[];
}

export const isOver = ({ state }: Job): boolean => state === 'done' || state === 'failed';

/** By what was asked for together, the newest first. */
export function batchesOf(jobs: readonly Job[]): Batch[] {
  const batches = new Map<string, Job[]>();
  for (const job of jobs) {
    const id = job.batch ?? job.id;
    batches.set(id, [...(batches.get(id) ?? []), job]);
  }
  return [...batches].map(([id, own]) => ({ id, jobs: own })).reverse();
}

/** What a batch is, and how far. */
export function batchWords({ jobs }: Batch): { title: string; state: string; share: number } {
  const [first] = jobs;
  const what = first.kind === 'report' ? 'Report' : 'Binding';
  const done = jobs.filter(({ state }) => state === 'done').length;
  const failed = jobs.filter(({ state }) => state === 'failed').length;
  return {
    title: jobs.length === 1 ? `${what} of ${first.name}` : `${what}s of ${jobs.length} characters`,
    state: `${done} of ${jobs.length} done${failed > 0 ? `, ${failed} failed` : ''}`,
    share: jobs.reduce((sum, job) => sum + (isOver(job) ? 1 : job.share), 0) / jobs.length,
  };
}

/** How far one piece of work is, or what came of it. */
export function workWords({ kind, state, share, before, outcome, failure }: Job): string {
  if (state === 'failed') return `It failed. ${failure ?? ''}`;
  if (state === 'done') return outcome ?? 'Done.';
  if (state === 'waiting') return before === 0 ? 'Waiting its turn' : `Waiting its turn, ${before} before it`;
  const doing = kind === 'report' ? 'Measuring' : 'Binding';
  return share > 0 ? `${doing}, ${Math.floor(share * 100)}%` : doing;
}
