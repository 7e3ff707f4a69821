import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, beforeEach, expect, test } from '@jest/globals';
import { makeFerryKeeper } from '@judoka/demo';
import { clientWith, startTestServer, type Client, type TestServer } from '../testServer.ts';

let server: TestServer;
let account: string;
let client: Client;
let path: string;
beforeAll(async () => {
  server = await startTestServer();
  account = await server.account('Moved');
  client = await server.client(account);
  const keeper = await makeFerryKeeper({ size: 'small', faults: false });
  path = `/api/characters/${(await client.post('/api/characters?name=Elsewhere', keeper)).json.id as string}`;
});
afterAll(() => server.close());
beforeEach(() => server.database.query('delete from openings; delete from presence'));

const open = (page: string): Promise<unknown> =>
  client.send('PUT', `${path}/people/${page}`, { joint: null });
const gone = (page: string, saved: '0' | '1'): Promise<unknown> =>
  client.send('POST', `${path}/people/${page}/gone?saved=${saved}`, undefined);
/** A page that was open under another address. */
async function openedAt(address: string): Promise<string> {
  const page = randomUUID();
  await open(page);
  await server.database.query('update openings set address = $1 where page = $2', [address, page]);
  return page;
}
const addresses = async (): Promise<string[]> =>
  ((await client.get(`${path}/elsewhere`)).json.addresses as { address: string }[]).map(
    ({ address }) => address,
  );

test('a page that was left without having saved all is told of at another address, not at its own', async () => {
  const page = await openedAt('http://localhost:4711');
  expect(await addresses()).toEqual([]);
  await gone(page, '0');
  expect(await addresses()).toEqual(['http://localhost:4711']);
  const own = randomUUID();
  await open(own);
  await gone(own, '0');
  expect(await addresses()).toEqual(['http://localhost:4711']);
});

test('one that was closed with everything saved leaves nothing to be told', async () => {
  await gone(await openedAt('http://localhost:4711'), '1');
  expect(await addresses()).toEqual([]);
});

test('a browser that crashed is told of once its page is not heard of any more', async () => {
  await openedAt('http://127.0.0.1:4600');
  expect(await addresses()).toEqual([]);
  await server.database.query(`update presence set seen_at = now() - interval '2 minutes'`);
  expect(await addresses()).toEqual(['http://127.0.0.1:4600']);
});

test('the server listens there again, and the link lets the browser in, once', async () => {
  // A port that nothing listens on: one that was just given back.
  const other = await startTestServer({ database: server.databaseUrl, workers: 0 });
  const address = other.address.replace('127.0.0.1', 'localhost');
  await other.close();
  await gone(await openedAt(address), '0');
  const { status, json } = await client.send('POST', `${path}/elsewhere`, { address });
  expect(status).toBe(200);
  const link = new URL(json.link as string);
  expect([link.origin, link.pathname]).toEqual([address, '/enter']);
  const nobody = clientWith(address.replace('localhost', '127.0.0.1'), '');
  const key = link.hash.slice(1);
  const entered = await nobody.send('POST', '/api/enter', { key });
  expect(entered).toMatchObject({ status: 200, json: { id: account } });
  expect((await nobody.send('POST', '/api/enter', { key })).status).toBe(401);
});

test('where another program answers now, no key is given away', async () => {
  const { createServer } = await import('node:http');
  const other = createServer((_request, response) => response.end('mine'));
  await new Promise<void>((resolve) => other.listen(0, '127.0.0.1', resolve));
  const { port } = other.address() as { port: number };
  const address = `http://localhost:${port}`;
  await gone(await openedAt(address), '0');
  const keys = async (): Promise<number> =>
    (await server.database.query('select from entry_keys')).rowCount ?? 0;
  const before = await keys();
  const { status, json } = await client.send('POST', `${path}/elsewhere`, { address });
  expect([status, json.error.message]).toEqual([403, expect.stringMatching(/Another program answers/)]);
  expect(await keys()).toBe(before);
  await new Promise((resolve) => other.close(resolve));
});

test('this server’s own port needs no opening', async () => {
  const own = server.address.replace('127.0.0.1', 'localhost');
  await gone(await openedAt(own), '0');
  const { status, json } = await client.send('POST', `${path}/elsewhere`, { address: own });
  expect([status, (json.link as string).startsWith(`${own}/enter`)]).toEqual([200, true]);
});

test.each(['https://evil.example', 'http://localhost:1', 'x', ''])(
  'no way is shown to %p, where nothing is known to be kept',
  async (address) => {
    const { status, json } = await client.send('POST', `${path}/elsewhere`, { address });
    expect([status, json.error.code]).toEqual([404, 'not-found']);
  },
);

test('somebody else’s pages are theirs', async () => {
  await gone(await openedAt('http://localhost:4711'), '0');
  const stranger = await server.client(await server.account('Stranger'));
  expect((await stranger.get(`${path}/elsewhere`)).status).toBe(404);
  expect(
    (await stranger.send('POST', `${path}/elsewhere`, { address: 'http://localhost:4711' })).status,
  ).toBe(404);
});
