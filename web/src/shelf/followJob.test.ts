import { afterEach, expect, test } from '@jest/globals';
import type { Job } from '@judoka/contract';
import { followJob, jobWords } from './followJob.ts';

const ID = '00000000-0000-4000-8000-000000000001';
const job = (state: Job['state'], more: Partial<Job> = {}): Job => ({
  id: ID,
  name: 'A',
  shelf: ID,
  kind: 'import',
  character: null,
  batch: null,
  share: 0,
  outcome: null,
  state,
  bytes: 1,
  before: 0,
  failure: null,
  ...more,
});

const fetchBefore = globalThis.fetch;
afterEach(() => {
  globalThis.fetch = fetchBefore;
});

/** Answers looks at the job in turn; what was asked otherwise is noted. */
function answering(looks: (Job | 'gone')[]): string[] {
  const others: string[] = [];
  globalThis.fetch = ((path: string, init?: RequestInit) => {
    if (init?.method === 'DELETE') {
      others.push(`DELETE ${path}`);
      return Promise.resolve(new Response(null, { status: 204 }));
    }
    const look = looks.shift() ?? job('done');
    return look === 'gone'
      ? Promise.reject(new TypeError('no network'))
      : Promise.resolve(new Response(JSON.stringify(look)));
  }) as typeof fetch;
  return others;
}

test('it is followed to its end, with what it does in words', async () => {
  answering([job('waiting', { before: 2 }), job('working'), job('done')]);
  const told: string[] = [];
  expect(await followJob(job('waiting'), (words) => told.push(words), new AbortController().signal)).toBe(ID);
  expect(told).toEqual([
    'Waiting its turn',
    'Waiting its turn, 2 before it',
    'Reading it, and putting it on the shelf',
  ]);
});

test('while the server is away it goes on', async () => {
  answering(['gone', 'gone', job('done')]);
  const told: string[] = [];
  await followJob(job('working'), (words) => told.push(words), new AbortController().signal);
  expect(told).toContain('The server is away; this goes on when it is back');
});

test('one that fails says why, and is put away', async () => {
  const others = answering([job('failed', { failure: 'It breaks off.' })]);
  await expect(followJob(job('waiting'), () => undefined, new AbortController().signal)).rejects.toThrow(
    'It breaks off.',
  );
  expect(others).toEqual([`DELETE /api/jobs/${ID}`]);
});

test('stopped here, it is stopped there', async () => {
  const others = answering([job('working'), job('working')]);
  const stop = new AbortController();
  const following = followJob(job('waiting'), () => stop.abort(), stop.signal);
  await expect(following).rejects.toThrow();
  expect(others).toEqual([`DELETE /api/jobs/${ID}`]);
});

test('one that is on its way says so', () => {
  expect(jobWords({ state: 'coming', before: 0 })).toBe('On its way');
});
