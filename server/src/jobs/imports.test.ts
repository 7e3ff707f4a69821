import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Job } from '@judoka/contract';
import { makeFerryKeeper } from '@judoka/demo';
import { startTestServer, type Client, type TestServer } from '../testServer.ts';

let server: TestServer;
/** On the same database, without workers of its own. */
let front: TestServer;
let client: Client;
let keeper: Uint8Array;
beforeAll(async () => {
  keeper = await makeFerryKeeper({ size: 'small', faults: false });
  server = await startTestServer();
  front = await startTestServer({ database: server.databaseUrl, workers: 0 });
  client = await front.client();
});
afterAll(async () => {
  await front.close();
  await server.close();
});

const send = async (name: string, bytes: Uint8Array): Promise<Job> => {
  const { status, json } = await client.post(`/api/characters?wait=0&name=${name}`, bytes);
  expect(status).toBe(202);
  return json as Job;
};
const look = async (id: string): Promise<Job> => (await client.get(`/api/jobs/${id}`)).json as Job;
const over = async (id: string): Promise<Job> => {
  for (;;) {
    const job = await look(id);
    if (['done', 'failed', 'stopped'].includes(job.state)) return job;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
};
const names = async (): Promise<string[]> =>
  ((await client.get('/api/characters')).json.characters as { name: string }[]).map(({ name }) => name);

test('is put into the queue by one server and done by another; its id becomes the character’s', async () => {
  const job = await send('Queued', keeper);
  expect(job).toMatchObject({ name: 'Queued', bytes: keeper.length, failure: null });
  expect(await over(job.id)).toMatchObject({ state: 'done' });
  expect((await client.get(`/api/characters/${job.id}`)).json.name).toBe('Queued');
  const source = await client.get(`/api/characters/${job.id}/source.glb`);
  expect(Buffer.compare(source.bytes, keeper)).toBe(0);
  expect((await client.get('/api/jobs')).json.jobs).toEqual([]);
});

test('what cannot be read fails with its sentence, is listed, and can be put away', async () => {
  const job = await send('Cut', keeper.subarray(0, 9000));
  expect(await over(job.id)).toMatchObject({ state: 'failed', failure: expect.stringMatching(/breaks off/) });
  expect((await client.get('/api/jobs')).json.jobs).toMatchObject([{ id: job.id, state: 'failed' }]);
  expect((await client.send('DELETE', `/api/jobs/${job.id}`, undefined)).status).toBe(204);
  expect((await client.get('/api/jobs')).json.jobs).toEqual([]);
});

test('sent again under the same id it comes once, whole or after a broken sending', async () => {
  const id = randomUUID();
  const again = (): Promise<{ status: number; json: { id: string } }> =>
    client.post(`/api/characters?id=${id}&name=Once`, keeper);
  await server.database.query(
    `insert into jobs (id, account_id, shelf_id, name)
     select $1, m.account_id, m.shelf_id, 'Once' from shelf_members m join accounts a on a.id = m.account_id
     where a.is_local`,
    [id],
  );
  await server.database.query(`insert into job_pieces values ($1, 0, '\\x00')`, [id]);
  const [first, second] = [await again(), await again()];
  expect([first.status, second.status, first.json.id, second.json.id]).toEqual([201, 201, id, id]);
  expect((await names()).filter((name) => name === 'Once')).toHaveLength(1);
  const stranger = await server.client(await server.account('Guesser'));
  expect((await stranger.post(`/api/characters?id=${id}&name=Mine`, keeper)).status).toBe(409);
});

test('many at once are all done, each once', async () => {
  const jobs = await Promise.all([1, 2, 3, 4, 5, 6].map((n) => send(`Many${n}`, keeper)));
  for (const { id } of jobs) expect((await over(id)).state).toBe('done');
  expect((await names()).filter((name) => name.startsWith('Many')).sort()).toEqual(
    [1, 2, 3, 4, 5, 6].map((n) => `Many${n}`),
  );
});

describe('a worker that is gone', () => {
  /** An import as its worker left it that was killed: claimed a while ago, and no word since. */
  async function leave(name: string): Promise<string> {
    const { id } = await send(name, keeper);
    await over(id);
    await server.database.query('delete from characters where id = $1', [id]);
    // Whoever looks after it finds it whole.
    await server.database.query('insert into job_pieces values ($1, 0, $2)', [id, Buffer.from(keeper)]);
    await server.database.query(
      `update jobs set state = 'working', seen_at = now() - interval '1 minute' where id = $1`,
      [id],
    );
    return id;
  }

  test('leaves its import to others, which do it once', async () => {
    const id = await leave('Left');
    expect(await over(id)).toMatchObject({ state: 'done' });
    expect((await names()).filter((name) => name === 'Left')).toHaveLength(1);
  });

  test('again and again by one file: the file is not tried for ever', async () => {
    const id = await leave('Killer');
    await server.database.query('update jobs set tries = 3 where id = $1', [id]);
    expect(await over(id)).toMatchObject({
      state: 'failed',
      failure: expect.stringMatching(/several times/),
    });
    expect(await names()).not.toContain('Killer');
  });
});

test('one that is stopped does not come, whenever that is', async () => {
  for (let round = 0; round < 6; round++) {
    const { id } = await send(`Stopped${round}`, keeper);
    await new Promise((resolve) => setTimeout(resolve, round * 40));
    const { status } = await client.send('DELETE', `/api/jobs/${id}`, undefined);
    const there = (await names()).includes(`Stopped${round}`);
    // Either it was done before, or it never comes.
    if (status === 204) expect([(await over(id)).state, there]).toEqual(['stopped', false]);
    else expect((await look(id)).state).toBe('done');
  }
});

test('somebody else’s is neither seen nor stopped', async () => {
  const { id } = await send('Mine', keeper);
  const stranger = await server.client(await server.account('Stranger'));
  expect((await stranger.get(`/api/jobs/${id}`)).status).toBe(404);
  expect((await stranger.send('DELETE', `/api/jobs/${id}`, undefined)).status).toBe(404);
  expect((await stranger.get('/api/jobs')).json.jobs).toEqual([]);
  expect((await over(id)).state).toBe('done');
  expect((await client.get(`/api/jobs/${randomUUID()}`)).status).toBe(404);
});

test('an upload that breaks off leaves nothing', async () => {
  const { request } = await import('node:http');
  const call = request(`${front.address}/api/characters?name=Broken`, {
    method: 'POST',
    headers: {
      cookie: client.cookie,
      'Content-Type': 'application/octet-stream',
      'Content-Length': keeper.length * 2,
    },
  });
  call.on('error', () => undefined);
  await new Promise((resolve) => call.write(keeper, resolve));
  const count = async (): Promise<number> =>
    (await server.database.query(`select from jobs where name = 'Broken'`)).rowCount ?? 0;
  while ((await count()) === 0) await new Promise((resolve) => setTimeout(resolve, 10));
  call.destroy();
  while ((await count()) > 0) await new Promise((resolve) => setTimeout(resolve, 10));
  expect(await names()).not.toContain('Broken');
});
