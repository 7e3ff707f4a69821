import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { makeFerryKeeper } from '@judoka/demo';
import { routesOf, type RouteOf } from '../testing/routesOf.ts';
import { clientWith, startTestServer, type Client, type TestServer } from '../testServer.ts';
import { ownShelf, putOnShelf } from './shelves.queries.ts';

// Every route is tried as the router has it, so that a new one is guarded or fails here.

/** Ways in: they answer whoever comes. */
const OPEN = ['POST /api/enter', 'POST /api/session', 'POST /api/invitations/look', 'POST /api/accounts'];
/** What a guest may send. */
const FOR_GUESTS = [
  'POST /api/characters/:id/comments',
  'PATCH /api/characters/:id/comments/:comment',
  'DELETE /api/characters/:id/comments/:comment',
  'PUT /api/characters/:id/people/:page',
  'POST /api/characters/:id/people/:page/gone',
  'POST /api/characters/:id/elsewhere',
  'POST /api/characters/:id/log/touching',
];

let server: TestServer;
let owner: Client;
let guest: Client;
let stranger: Client;
let routes: RouteOf[];
let character: string;
let shelf: string;
let comment: string;
let member: string;

beforeAll(async () => {
  server = await startTestServer();
  const account = await server.account('Owner');
  const looker = await server.account('Guest');
  [owner, guest] = [await server.client(account), await server.client(looker)];
  stranger = await server.client(await server.account('Stranger'));
  shelf = await ownShelf(server.database, account);
  member = account;
  await putOnShelf(server.database, shelf, looker, 'guest');
  character = (
    await owner.post('/api/characters?name=Guarded', await makeFerryKeeper({ size: 'small', faults: false }))
  ).json.id;
  comment = randomUUID();
  await owner.send('POST', `/api/characters/${character}/comments`, {
    id: comment,
    text: 'The knee pinches.',
    place: null,
    joint: 3,
  });
  routes = routesOf(server.app).filter(({ path }) => path.startsWith('/api'));
});
afterAll(() => server.close());

const nameOf = ({ method, path }: RouteOf): string => `${method} ${path}`;

/** A body that the route would take, so that nothing but the guard is in the way. */
const BODIES: Readonly<Record<string, object>> = {
  'PATCH /api/characters/:id': { name: 'Mine' },
  'POST /api/characters/:id/comments': { id: randomUUID(), text: 'Hm', place: null, joint: null },
  'PATCH /api/characters/:id/comments/:comment': { settled: true },
  'PUT /api/characters/:id/people/:page': { joint: 1 },
  'POST /api/characters/:id/elsewhere': { address: 'http://localhost:4600' },
  'PATCH /api/shelves/:shelf': { name: 'Mine' },
  'PATCH /api/shelves/:shelf/people/:account': { role: 'owner' },
  'POST /api/shelves/:shelf/invitations': { role: 'owner' },
};

const QUERIES: Readonly<Record<string, string>> = {
  'GET /api/characters/:id/edits': '?after=0',
  'GET /api/characters/:id/losses': '?format=dae',
  'GET /api/characters/:id/history': `?below=${randomUUID()}`,
};

/** Asks a route with the ids of what the owner has. */
async function ask(client: Client, { method, path }: RouteOf, query = ''): Promise<Response> {
  const ids: Readonly<Record<string, string>> = {
    id: character,
    shelf,
    comment,
    account: member,
    page: '00000000-0000-4000-8000-000000000001',
    piece: '0',
    session: 'a'.repeat(22),
  };
  const filled = path.replace(/:(\w+)/g, (_, name: string) => ids[name] ?? randomUUID());
  const body = BODIES[`${method} ${path}`] as object | undefined;
  return client.fetch(filled + query, {
    method,
    headers: { 'Content-Type': body ? 'application/json' : 'application/octet-stream' },
    ...(method === 'GET' ? {} : { body: body ? JSON.stringify(body) : new Uint8Array(16) }),
  });
}

const codeOf = async (response: Response): Promise<string> =>
  ((await response.json()) as { error: { code: string } }).error.code;

test('the router tells its routes', () => {
  expect(routes.length).toBeGreaterThan(35);
  expect(routes.map(nameOf)).toEqual(expect.arrayContaining([...OPEN, ...FOR_GUESTS]));
});

test('without signing in, nothing but the ways in answers', async () => {
  const nobody = clientWith(server.address, '');
  for (const route of routes.filter((each) => !OPEN.includes(nameOf(each)))) {
    const response = await ask(nobody, route);
    expect([nameOf(route), response.status, await codeOf(response)]).toEqual([
      nameOf(route),
      401,
      'not-signed-in',
    ]);
  }
});

test('a stranger who knows every id sees nothing, and changes nothing', async () => {
  const guarded = routes.filter(({ path }) => /:(id|shelf)\b/.test(path));
  expect(guarded.length).toBeGreaterThan(20);
  for (const route of guarded) {
    const response = await ask(stranger, route, QUERIES[nameOf(route)]);
    expect([nameOf(route), response.status, await codeOf(response)]).toEqual([
      nameOf(route),
      404,
      'not-found',
    ]);
  }
});

test('a guest sees all, and changes nothing but what is said of it', async () => {
  const before = await owner.get(`/api/characters/${character}`);
  for (const route of routes.filter(({ path }) => /:(id|shelf)\b/.test(path))) {
    const name = nameOf(route);
    if (route.method === 'GET' || FOR_GUESTS.includes(name)) continue;
    const response = await ask(guest, route);
    expect([name, response.status, await codeOf(response)]).toEqual([name, 403, 'not-allowed']);
  }
  for (const path of [
    '',
    '/document',
    '/source.glb',
    '/picture.png',
    '/edits?after=0',
    '/log',
    '/moments/0',
    '/comments',
  ])
    expect([path, (await guest.get(`/api/characters/${character}${path}`)).status]).toEqual([path, 200]);
  expect(await owner.get(`/api/characters/${character}`)).toMatchObject({ json: before.json });
});

describe('where a request comes from', () => {
  const send = (headers: Record<string, string>): Promise<Response> =>
    owner.fetch(`/api/characters/${character}`, {
      method: 'PATCH',
      headers: { 'Content-Type': 'application/json', ...headers },
      body: JSON.stringify({ name: 'Guarded' }),
    });

  test('only the place’s own pages change something', async () => {
    expect((await send({})).status).toBe(204);
    expect((await send({ Origin: server.address })).status).toBe(204);
    for (const headers of [
      { Origin: 'https://evil.example' },
      { Origin: 'null' },
      { Origin: server.address.replace('http:', 'https:') },
      { Origin: `${server.address}0` },
      { 'Sec-Fetch-Site': 'cross-site' },
      { 'Sec-Fetch-Site': 'same-site' },
    ]) {
      const response = await send(headers as unknown as Record<string, string>);
      expect([headers, response.status]).toEqual([headers, 403]);
    }
  });
});
