import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { boundHeader, decodeRows, decodeWeights, unpackFrame, type Job } from '@judoka/contract';
import { apply, type WeightRows } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import { insertShelf, putOnShelf } from '../people/shelves.queries.ts';
import { startTestServer, type Client, type TestServer } from '../testServer.ts';

// What is asked of characters that are here: reports and bindings, one by one and in batches.

const BIND = { kind: 'bind', method: 'nearest', softness: 0.35, limit: 4 } as const;
const REPORT = { kind: 'report' } as const;

let server: TestServer;
let front: TestServer;
let client: Client;
let keeper: string;
beforeAll(async () => {
  server = await startTestServer();
  front = await startTestServer({ database: server.databaseUrl, workers: 0 });
  client = await front.client();
  keeper = await bring('Keeper <of> the "ferry"');
});
afterAll(async () => {
  await front.close();
  await server.close();
});

async function bring(name: string, to = client, query = ''): Promise<string> {
  const bytes = await makeFerryKeeper({ size: 'small', faults: true });
  return (await to.post(`/api/characters?name=${encodeURIComponent(name)}${query}`, bytes)).json.id as string;
}

const listed = async (from = client): Promise<Job[]> => (await from.get('/api/jobs')).json.jobs as Job[];

async function ask(work: object, characters: readonly string[], from = client): Promise<string> {
  const id = randomUUID();
  const answer = await from.send('POST', '/api/jobs', { id, characters, work });
  expect([answer.status, answer.json]).toEqual([202, undefined]);
  return id;
}

/** Waits for all of a batch. */
async function over(batch: string, from = client): Promise<Job[]> {
  for (;;) {
    const jobs = (await listed(from)).filter((job) => job.batch === batch);
    if (jobs.every(({ state }) => state === 'done' || state === 'failed')) return jobs;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

const rowsOf = async (character: string): Promise<WeightRows[]> =>
  decodeRows((await client.frame(`/api/characters/${character}/document`)).blobs[0]);

test('a report is a page of its own that runs nothing, and says what is wrong', async () => {
  const [job] = await over(await ask(REPORT, [keeper]));
  expect(job).toMatchObject({ kind: 'report', state: 'done', share: 1, character: keeper });
  expect(job.outcome).toMatch(/^\d+ faults?, [1-9]\d* strays\.$/);
  const page = await client.get(`/api/jobs/${job.id}/report.html`);
  expect(page.headers.get('content-type')).toMatch('text/html');
  expect(page.headers.get('content-security-policy')).toMatch(/^sandbox; default-src 'none'/);
  const html = new TextDecoder().decode(page.bytes);
  expect(html).toContain('<h1>Keeper &lt;of&gt; the &quot;ferry&quot;</h1>');
  expect(html).not.toMatch(/<script|<of>/);
  expect(html.match(/<img src="data:image\/png;base64,/g)?.length).toBeGreaterThan(4);
  expect(html).toMatch(/UTC, for [^<]+</);
  const { json: figures } = await client.get(`/api/jobs/${job.id}/report.json`);
  expect(figures).toMatchObject({ name: 'Keeper <of> the "ferry"', profile: 'Everyday' });
  expect(figures.limits.length).toBeGreaterThan(2);
  expect(figures.bends.length).toBeGreaterThan(20);
  const saved = await client.get(`/api/jobs/${job.id}/report.html?save`);
  expect(saved.headers.get('content-disposition')).toMatch(/^attachment; .*Keeper/);
});

/** Sets one thing of a character, on the head that it came with. */
async function set(id: string, path: string): Promise<void> {
  const values = [{ path, before: null, after: true }];
  const entry = { id: randomUUID(), kind: 'edit', label: 'Set', values };
  const { status } = await client.postFrame(`/api/characters/${id}/edits`, { base: 0, entries: [entry] }, []);
  expect(status).toBe(200);
}

test('a report tells the character as it is now, not as it came', async () => {
  const id = await bring('Stilled');
  await set(id, `nonDeforming/${(await rowsOf(id))[0].joints[0]}`);
  const [job] = await over(await ask(REPORT, [id]));
  const html = new TextDecoder().decode((await client.get(`/api/jobs/${job.id}/report.html`)).bytes);
  expect(html).toContain('Points tied to a joint that does not deform');
});

test('a binding is proposed: nothing changes, and its change fits the weights as they are', async () => {
  const before = await rowsOf(keeper);
  const [job] = await over(await ask(BIND, [keeper]));
  expect(job).toMatchObject({ kind: 'bind', state: 'done' });
  expect(job.outcome).toMatch(/^New weights for [1-9][\d,]* points\.$/);
  expect(await rowsOf(keeper)).toEqual(before);
  const { header, blobs } = unpackFrame((await client.get(`/api/jobs/${job.id}/binding`)).bytes);
  expect(boundHeader.parse(header)).toMatchObject({ label: 'Bind by nearest bone' });
  const rows = before.map((each) => ({ ...each }));
  apply(rows, decodeWeights(blobs[0]));
  for (const { values, stride, pointCount } of rows)
    for (let p = 0; p < pointCount; p++)
      expect(values.subarray(p * stride + 4, (p + 1) * stride)).not.toContain(1);
});

test('locks are kept by a binding', async () => {
  const id = await bring('Locked');
  const rows = await rowsOf(id);
  const joint = rows[0].joints[0];
  await set(id, `locks/${joint}`);
  const [job] = await over(await ask(BIND, [id]));
  const { blobs } = unpackFrame((await client.get(`/api/jobs/${job.id}/binding`)).bytes);
  const next = rows.map((each) => ({ ...each, joints: each.joints.slice(), values: each.values.slice() }));
  apply(next, decodeWeights(blobs[0]));
  const massOf = (all: readonly WeightRows[]): number[] =>
    all.map(({ joints, values }) =>
      values.reduce((sum, value, k) => sum + (joints[k] === joint ? value : 0), 0),
    );
  expect(massOf(next)).toEqual(massOf(rows));
});

test('a batch is asked for once, however often it is sent, and in the order it was given', async () => {
  const all = [await bring('Zebra'), await bring('Ant'), await bring('Moth')];
  const body = { id: randomUUID(), characters: all, work: REPORT };
  const answers = await Promise.all([1, 2, 3].map(() => client.send('POST', '/api/jobs', body)));
  expect(answers.map(({ status }) => status)).toEqual([202, 202, 202]);
  const jobs = await over(body.id);
  expect(jobs.map(({ character }) => character)).toEqual(all);
  expect(jobs.every(({ state }) => state === 'done')).toBe(true);
  expect((await client.send('DELETE', `/api/batches/${body.id}`, undefined)).status).toBe(204);
  expect((await listed()).filter(({ batch }) => batch === body.id)).toEqual([]);
  expect((await client.send('DELETE', `/api/batches/${body.id}`, undefined)).status).toBe(404);
});

describe('what is stopped, lost or refused', () => {
  test('stopping a batch stops what waits and what is under way; its results are gone', async () => {
    const all = [await bring('One'), await bring('Two'), await bring('Three')];
    const batch = await ask({ ...BIND, method: 'volume' }, all);
    while (!(await listed()).some((job) => job.batch === batch && job.state === 'working'))
      await new Promise((resolve) => setTimeout(resolve, 10));
    expect((await client.send('DELETE', `/api/batches/${batch}`, undefined)).status).toBe(204);
    const left = (await listed()).filter((job) => job.batch === batch);
    expect(left.every(({ state }) => state === 'done')).toBe(true);
    const { rows } = await server.database.query(
      `select state from jobs where batch = $1 and state in ('waiting', 'working')`,
      [batch],
    );
    expect(rows).toEqual([]);
  });

  test('a worker that is gone leaves its work to others, and nothing is doubled', async () => {
    const batch = randomUUID();
    await server.database.query(
      `insert into jobs (id, account_id, shelf_id, name, character_id, batch, work, state, seen_at)
       select gen_random_uuid(), m.account_id, c.shelf_id, c.name, c.id, $2, $3, 'working', now() - interval '1 minute'
       from characters c join shelf_members m on m.shelf_id = c.shelf_id where c.id = $1`,
      [keeper, batch, JSON.stringify(BIND)],
    );
    expect(await over(batch)).toMatchObject([{ state: 'done' }]);
  });

  test('a character that is taken off the shelf meanwhile fails in a sentence', async () => {
    const id = await bring('Gone');
    await server.database.query('update characters set removed_at = now() where id = $1', [id]);
    const batch = randomUUID();
    expect(
      (await client.send('POST', '/api/jobs', { id: batch, characters: [id], work: REPORT })).status,
    ).toBe(404);
    await server.database.query('update characters set removed_at = null where id = $1', [id]);
    await server.database.query(
      `insert into jobs (id, account_id, shelf_id, name, character_id, batch, work, state, seen_at)
       select gen_random_uuid(), m.account_id, c.shelf_id, c.name, c.id, $2, $3, 'waiting', now() - interval '2 minutes'
       from characters c join shelf_members m on m.shelf_id = c.shelf_id where c.id = $1`,
      [id, batch, JSON.stringify(REPORT)],
    );
    await server.database.query('update characters set removed_at = now() where id = $1', [id]);
    expect(await over(batch)).toMatchObject([
      { state: 'failed', failure: expect.stringMatching(/does not exist/) },
    ]);
  });

  test.each([
    [{ ...BIND, limit: 0 }],
    [{ ...BIND, softness: 2 }],
    [{ ...BIND, method: 'magic' }],
    [{ kind: 'import' }],
    [{}],
  ])('%j is refused', async (work) => {
    const answer = await client.send('POST', '/api/jobs', { id: randomUUID(), characters: [keeper], work });
    expect([answer.status, answer.json.error.code]).toEqual([400, 'request-invalid']);
  });

  test('strangers ask for nothing and see nothing; guests get reports, not bindings', async () => {
    const [job] = await over(await ask(REPORT, [keeper]));
    const guest = await server.account('Looker');
    const [owner, looker] = [await server.account('Owner'), await server.client(guest)];
    const stranger = await server.client(await server.account('Stranger'));
    for (const path of [
      `/api/jobs/${job.id}`,
      `/api/jobs/${job.id}/report.html`,
      `/api/jobs/${job.id}/binding`,
    ])
      expect([path, (await stranger.get(path)).status]).toEqual([path, 404]);
    expect((await stranger.send('DELETE', `/api/batches/${job.batch ?? ''}`, undefined)).status).toBe(404);
    expect(
      (await stranger.send('POST', '/api/jobs', { id: randomUUID(), characters: [keeper], work: REPORT }))
        .status,
    ).toBe(404);
    const shelf = await insertShelf(server.database, owner, 'Team');
    await putOnShelf(server.database, shelf, guest, 'guest');
    const shared = await bring('Shared', await server.client(owner), `&shelf=${shelf}`);
    const refused = await looker.send('POST', '/api/jobs', {
      id: randomUUID(),
      characters: [shared],
      work: BIND,
    });
    expect([refused.status, refused.json.error.message]).toEqual([404, expect.stringMatching(/not yours/)]);
    const [report] = await over(await ask(REPORT, [shared], looker), looker);
    expect(report.state).toBe('done');
    await server.database.query('delete from shelf_members where account_id = $1 and shelf_id = $2', [
      guest,
      shelf,
    ]);
    expect((await looker.get(`/api/jobs/${report.id}/report.html`)).status).toBe(404);
  });
});
