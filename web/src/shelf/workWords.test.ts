import { expect, test } from '@jest/globals';
import type { Job } from '@judoka/contract';
import { batchesOf, batchWords, workWords } from './workWords.ts';

const job = (more: Partial<Job>): Job => ({
  id: more.name ?? 'id',
  kind: 'report',
  name: 'Keeper',
  shelf: 'shelf',
  character: 'keeper',
  batch: 'batch',
  state: 'waiting',
  bytes: 0,
  before: 0,
  share: 0,
  outcome: null,
  failure: null,
  ...more,
});

test('jobs that were asked for together stand together, the newest first', () => {
  const batches = batchesOf([
    job({ name: 'a', batch: 'old' }),
    job({ name: 'b', batch: 'new' }),
    job({ name: 'c', batch: 'old' }),
  ]);
  expect(batches.map(({ id, jobs }) => [id, jobs.map(({ name }) => name)])).toEqual([
    ['new', ['b']],
    ['old', ['a', 'c']],
  ]);
});

test('a batch says what it is, how many are done, and how many failed', () => {
  const jobs = [
    job({ state: 'done', share: 1 }),
    job({ state: 'failed', share: 0.2 }),
    job({ state: 'working', share: 0.5 }),
    job({}),
  ];
  expect(batchWords({ id: 'x', jobs })).toEqual({
    title: 'Reports of 4 characters',
    state: '1 of 4 done, 1 failed',
    share: 2.5 / 4,
  });
  expect(batchWords({ id: 'x', jobs: [job({ kind: 'bind' })] }).title).toBe('Binding of Keeper');
});

test.each([
  [{ state: 'waiting' }, 'Waiting its turn'],
  [{ state: 'waiting', before: 3 }, 'Waiting its turn, 3 before it'],
  [{ state: 'working' }, 'Measuring'],
  [{ state: 'working', kind: 'bind', share: 0.429 }, 'Binding, 42%'],
  [{ state: 'done', outcome: '2 faults, 1 stray.' }, '2 faults, 1 stray.'],
  [{ state: 'failed', failure: 'No joint may deform.' }, 'It failed. No joint may deform.'],
] as const)('%j says “%s”', (more, words) => {
  expect(workWords(job(more))).toBe(words);
});
