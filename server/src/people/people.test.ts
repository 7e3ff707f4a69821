import { request as httpRequest } from 'node:http';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { makeFerryKeeper } from '@judoka/demo';
import { makeEntryKey } from '../accounts/entryKeys.queries.ts';
import { clientWith, startTestServer, type Answer, type Client, type TestServer } from '../testServer.ts';

const PASSWORD = 'four old lanterns';

let server: TestServer;
let owner: Client;
let keeper: Uint8Array;
beforeAll(async () => {
  keeper = await makeFerryKeeper({ size: 'small', faults: false });
  server = await startTestServer();
  owner = await server.client(await server.account('Ferrywoman'));
});
afterAll(() => server.close());

const nobody = (): Client => clientWith(server.address, '');
const withCookie = ({ headers }: Answer): Client =>
  clientWith(server.address, (headers.get('set-cookie') ?? '').split(';')[0]);
const forget = (): Promise<unknown> => server.database.query('delete from tries');

async function teamShelf(name = 'Night crew'): Promise<string> {
  return (await owner.send('POST', '/api/shelves', { name })).json.id as string;
}

/** Invites somebody new. @returns them, signed in, and the shelf */
async function invite(name: string, role: string, shelf: string): Promise<Client> {
  await forget();
  const { json } = await owner.send('POST', `/api/shelves/${shelf}/invitations`, { role });
  const answer = await nobody().send('POST', '/api/accounts', {
    token: json.token,
    name,
    password: PASSWORD,
  });
  expect(answer).toMatchObject({ status: 201, json: { shelf } });
  return withCookie(answer);
}

describe('the key in the printed address', () => {
  test('lets one browser in, once; the cookie remembers it', async () => {
    const key = await makeEntryKey(server.database, await server.account('Keyed'));
    const first = await nobody().send('POST', '/api/enter', { key });
    expect(first).toMatchObject({ status: 200, json: { name: 'Keyed', hasPassword: false } });
    expect((await withCookie(first).get('/api/session')).json.name).toBe('Keyed');
    const again = await nobody().send('POST', '/api/enter', { key });
    expect(again).toMatchObject({
      status: 401,
      json: { error: { message: expect.stringMatching(/used already/) } },
    });
  });

  test('of two browsers at once one comes in', async () => {
    const key = await makeEntryKey(server.database, await server.account('Raced'));
    const answers = await Promise.all([1, 2, 3, 4].map(() => nobody().send('POST', '/api/enter', { key })));
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 401, 401, 401]);
  });

  test('older than a day it opens nothing', async () => {
    const key = await makeEntryKey(server.database, await server.account('Late'));
    await server.database.query(`update entry_keys set expires_at = now() - interval '1 second'`);
    expect((await nobody().send('POST', '/api/enter', { key })).status).toBe(401);
  });

  test('is not kept: what the database has opens nothing', async () => {
    const key = await makeEntryKey(server.database, await server.account('Hashed'));
    const { rows } = await server.database.query<{ hash: Buffer }>('select hash from entry_keys');
    for (const { hash } of rows) {
      expect(hash.toString('base64url')).not.toBe(key);
      expect((await nobody().send('POST', '/api/enter', { key: hash.toString('base64url') })).status).toBe(
        401,
      );
    }
  });
});

describe('name and password', () => {
  test('sign in anywhere; a wrong one says neither which of the two is wrong', async () => {
    await invite('Bosun', 'painter', await teamShelf());
    await forget();
    const signedIn = await nobody().send('POST', '/api/session', { name: 'bosun', password: PASSWORD });
    expect(signedIn).toMatchObject({ status: 200, json: { name: 'Bosun', hasPassword: true } });
    const wrong = await nobody().send('POST', '/api/session', { name: 'Bosun', password: 'another one' });
    const unknown = await nobody().send('POST', '/api/session', { name: 'Nobody', password: PASSWORD });
    expect(wrong.status).toBe(401);
    expect(unknown).toMatchObject({ status: 401, json: wrong.json });
    const passwordless = await nobody().send('POST', '/api/session', { name: 'Ferrywoman', password: 'x' });
    expect(passwordless).toMatchObject({ status: 401, json: wrong.json });
  });

  test('are throttled on the account, also for the right one, and counted by all servers together', async () => {
    await invite('Stoker', 'painter', await teamShelf());
    await forget();
    const second = await startTestServer({ database: server.databaseUrl });
    const guess = (client: Client, password: string): Promise<Answer> =>
      client.send('POST', '/api/session', { name: 'STOKER', password });
    for (let round = 0; round < 5; round++) {
      expect((await guess(nobody(), 'guess')).status).toBe(401);
      expect((await guess(clientWith(second.address, ''), 'guess')).status).toBe(401);
    }
    const refused = await guess(nobody(), PASSWORD);
    expect(refused).toMatchObject({
      status: 429,
      json: { error: { code: 'too-many-requests', message: expect.stringMatching(/Wait \d+ minutes/) } },
    });
    await forget();
    expect((await guess(nobody(), PASSWORD)).status).toBe(200);
    await second.close();
  });

  test('guesses from one address end, whatever the names', async () => {
    await forget();
    const statuses: number[] = [];
    for (let guess = 0; guess < 61; guess++)
      statuses.push((await nobody().send('POST', '/api/enter', { key: 'x'.repeat(43) })).status);
    expect(statuses.slice(0, 60)).toEqual(Array<number>(60).fill(401));
    expect(statuses[60]).toBe(429);
    await forget();
  });

  test('a new password ends the other sessions, and needs the old one', async () => {
    const here = await invite('Cook', 'painter', await teamShelf());
    const there = withCookie(
      await nobody().send('POST', '/api/session', { name: 'Cook', password: PASSWORD }),
    );
    const change = (now: string): Promise<Answer> =>
      here.send('PATCH', '/api/account', { password: { now, next: 'another long one' } });
    expect(await change('wrong')).toMatchObject({
      status: 400,
      json: { error: { detail: { field: 'password.now' } } },
    });
    expect((await there.get('/api/session')).status).toBe(200);
    expect((await change(PASSWORD)).status).toBe(200);
    expect((await here.get('/api/session')).status).toBe(200);
    expect((await there.get('/api/session')).status).toBe(401);
  });

  test('names are taken once, whatever their case; a short password is refused in a sentence', async () => {
    const client = await server.client(await server.account('Plain'));
    expect(await client.send('PATCH', '/api/account', { name: 'FERRYWOMAN' })).toMatchObject({
      status: 400,
      json: { error: { message: expect.stringMatching(/has this name already/) } },
    });
    const short = await client.send('PATCH', '/api/account', { password: { now: '', next: 'short' } });
    expect(short).toMatchObject({
      status: 400,
      json: { error: { message: expect.stringMatching(/10 characters/) } },
    });
  });
});

describe('sessions', () => {
  test('are listed with their browsers and ended one by one, or all others', async () => {
    const account = await server.account('Traveller');
    const enter = async (agent: string): Promise<Client> => {
      const key = await makeEntryKey(server.database, account);
      const response = await fetch(`${server.address}/api/enter`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json', 'User-Agent': agent },
        body: JSON.stringify({ key }),
      });
      return clientWith(server.address, (response.headers.get('set-cookie') ?? '').split(';')[0]);
    };
    const [here, there, elsewhere] = [
      await enter('Mozilla/5.0 (X11; Linux x86_64) Chrome/140.0 Safari/537.36'),
      await enter('Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15_7) Version/17.0 Safari/605.1'),
      await enter('curl/8'),
    ];
    const { sessions } = (await here.get('/api/sessions')).json as {
      sessions: { id: string; browser: string; isThis: boolean }[];
    };
    expect(sessions.map(({ browser }) => browser).sort()).toEqual([
      'A browser',
      'Chrome on Linux',
      'Safari on macOS',
    ]);
    expect(sessions.filter(({ isThis }) => isThis).map(({ browser }) => browser)).toEqual([
      'Chrome on Linux',
    ]);
    const safari = sessions.find(({ browser }) => browser.startsWith('Safari'))?.id ?? '';
    // What is listed opens nothing, and only its owner can end it.
    expect((await owner.send('DELETE', `/api/sessions/${safari}`, undefined)).status).toBe(404);
    expect((await here.send('DELETE', `/api/sessions/${safari}`, undefined)).status).toBe(204);
    expect((await there.get('/api/session')).status).toBe(401);
    expect((await elsewhere.get('/api/session')).status).toBe(200);
    await here.send('DELETE', '/api/sessions', undefined);
    expect((await elsewhere.get('/api/session')).status).toBe(401);
    expect((await here.get('/api/session')).status).toBe(200);
    await here.send('DELETE', '/api/session', undefined);
    expect((await here.get('/api/session')).status).toBe(401);
  });
});

describe('shelves', () => {
  test('an invitation tells what it is to, is taken once, and can be withdrawn', async () => {
    const shelf = await teamShelf('Harbour');
    const make = async (): Promise<{ id: string; token: string }> =>
      (await owner.send('POST', `/api/shelves/${shelf}/invitations`, { role: 'painter' })).json as {
        id: string;
        token: string;
      };
    const { token } = await make();
    expect((await nobody().send('POST', '/api/invitations/look', { token })).json).toEqual({
      shelf: 'Harbour',
      by: 'Ferrywoman',
      role: 'painter',
    });
    const other = await server.client(await server.account('Deckhand'));
    expect((await other.send('POST', '/api/invitations/join', { token })).json).toEqual({ shelf });
    expect((await other.send('POST', '/api/invitations/join', { token })).status).toBe(404);
    const withdrawn = await make();
    await owner.send('DELETE', `/api/shelves/${shelf}/invitations/${withdrawn.id}`, undefined);
    expect((await nobody().send('POST', '/api/invitations/look', { token: withdrawn.token })).status).toBe(
      404,
    );
    // An account is made together with taking one, or not at all.
    const late = { token: withdrawn.token, name: 'Too late', password: PASSWORD };
    expect((await nobody().send('POST', '/api/accounts', late)).status).toBe(404);
    expect((await nobody().send('POST', '/api/session', late)).status).toBe(401);
  });

  test('people see what is on it by their role, as long as they are on it', async () => {
    const shelf = await teamShelf('Dock');
    const painter = await invite('Rigger', 'painter', shelf);
    const guest = await invite('Director', 'guest', shelf);
    const id = (await painter.post(`/api/characters?name=Shared&shelf=${shelf}`, keeper)).json.id as string;
    const listed = async (client: Client): Promise<string[]> =>
      ((await client.get('/api/characters')).json.characters as { id: string; role: string }[])
        .filter((card) => card.id === id)
        .map(({ role }) => role);
    expect([await listed(owner), await listed(painter), await listed(guest)]).toEqual([
      ['owner'],
      ['painter'],
      ['guest'],
    ]);
    expect((await guest.post(`/api/characters?name=No&shelf=${shelf}`, keeper)).status).toBe(403);
    expect((await painter.send('PATCH', `/api/characters/${id}`, { shelf: await own(painter) })).status).toBe(
      404,
    );

    const { people } = (await owner.get(`/api/shelves/${shelf}/people`)).json as {
      people: { id: string; name: string }[];
    };
    const of = (name: string): string => people.find((each) => each.name === name)?.id ?? '';
    const change = (who: string, role: string): Promise<Answer> =>
      owner.send('PATCH', `/api/shelves/${shelf}/people/${of(who)}`, { role });
    expect((await change('Director', 'painter')).status).toBe(204);
    expect(await listed(guest)).toEqual(['painter']);
    expect(await change('Ferrywoman', 'guest')).toMatchObject({
      status: 400,
      json: { error: { message: expect.stringMatching(/at least one owner/) } },
    });
    expect(
      (await painter.send('DELETE', `/api/shelves/${shelf}/people/${of('Director')}`, undefined)).status,
    ).toBe(403);
    expect(
      (await painter.send('DELETE', `/api/shelves/${shelf}/people/${of('Rigger')}`, undefined)).status,
    ).toBe(204);
    expect(await listed(painter)).toEqual([]);
    expect((await painter.get(`/api/characters/${id}/document`)).status).toBe(404);
  });

  test('one’s own is not left', async () => {
    const mine = await own(owner);
    const { people } = (await owner.get(`/api/shelves/${mine}/people`)).json as { people: { id: string }[] };
    expect(
      (await owner.send('DELETE', `/api/shelves/${mine}/people/${people[0].id}`, undefined)).status,
    ).toBe(400);
  });

  const own = async (client: Client): Promise<string> =>
    ((await client.get('/api/shelves')).json.shelves as { id: string; isOwn: boolean }[]).find(
      ({ isOwn }) => isOwn,
    )?.id ?? '';
});

test('two Host headers are refused, and a name that is not this machine’s', async () => {
  const { port } = new URL(server.address);
  const ask = (headers: string[]): Promise<number> =>
    new Promise((resolve, reject) => {
      httpRequest({ port, host: '127.0.0.1', path: '/api/session', headers }, (response) => {
        response.resume();
        resolve(response.statusCode ?? 0);
      })
        .on('error', reject)
        .end();
    });
  expect(await ask(['Host', `localhost:${port}`])).toBe(401);
  expect(await ask(['Host', `localhost:${port}`, 'Host', 'evil.example'])).toBe(400);
  expect(await ask(['Host', `localhost:${port}`, 'Host', `localhost:${port}`])).toBe(400);
  expect(await ask(['Host', 'evil.example'])).toBe(400);
});
