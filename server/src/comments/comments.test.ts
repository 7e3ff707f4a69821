import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { makeFerryKeeper } from '@judoka/demo';
import { ownShelf, putOnShelf } from '../people/shelves.queries.ts';
import { startTestServer, type Client, type TestServer } from '../testServer.ts';

let server: TestServer;
let painter: Client;
let guest: Client;
let path: string;

beforeAll(async () => {
  server = await startTestServer();
  const account = await server.account('Painter');
  const looker = await server.account('Guest');
  await putOnShelf(server.database, await ownShelf(server.database, account), looker, 'guest');
  [painter, guest] = [await server.client(account), await server.client(looker)];
  const keeper = await makeFerryKeeper({ size: 'small', faults: false });
  path = `/api/characters/${(await painter.post('/api/characters?name=Spoken%20of', keeper)).json.id as string}`;
});
afterAll(() => server.close());

const say = (client: Client, text: string, id: string = randomUUID()): Promise<{ status: number }> =>
  client.send('POST', `${path}/comments`, { id, text, place: { part: 0, point: 12 }, joint: 4 });
const heard = async (client: Client): Promise<{ by: string; text: string; isMine: boolean }[]> =>
  (await client.get(`${path}/comments`)).json.comments as { by: string; text: string; isMine: boolean }[];

test('a guest comments on a place and a joint, and all who look read it', async () => {
  await say(guest, 'The elbow folds here.');
  expect(await heard(painter)).toEqual([
    {
      id: expect.any(String),
      by: 'Guest',
      isMine: false,
      text: 'The elbow folds here.',
      place: { part: 0, point: 12 },
      joint: 4,
      madeAt: expect.any(String),
      settledAt: null,
    },
  ]);
  expect((await heard(guest))[0].isMine).toBe(true);
});

test('sent twice it is there once; nobody else’s is overwritten by its id', async () => {
  const id = randomUUID();
  await say(guest, 'Once', id);
  expect((await say(guest, 'Once', id)).status).toBe(204);
  expect((await say(painter, 'Mine now', id)).status).toBe(404);
  expect((await heard(guest)).filter(({ text }) => text === 'Once')).toHaveLength(1);
});

test('one’s own is changed and taken away; a painter settles a guest’s, and cannot rewrite it', async () => {
  const id = randomUUID();
  await say(guest, 'Look at the wrist.', id);
  const change = (client: Client, body: object): Promise<{ status: number }> =>
    client.send('PATCH', `${path}/comments/${id}`, body);
  expect((await change(painter, { text: 'Rewritten' })).status).toBe(404);
  expect((await change(painter, { settled: true })).status).toBe(204);
  const settled = (await painter.get(`${path}/comments`)).json.comments.find(
    (each: { id: string }) => each.id === id,
  );
  expect(settled).toMatchObject({ text: 'Look at the wrist.', settledAt: expect.any(String) });
  expect((await change(guest, { text: 'Look at the left wrist.', settled: false })).status).toBe(204);
  expect((await painter.send('DELETE', `${path}/comments/${id}`, undefined)).status).toBe(404);
  expect((await guest.send('DELETE', `${path}/comments/${id}`, undefined)).status).toBe(204);
  expect((await heard(painter)).some(({ text }) => text.includes('wrist'))).toBe(false);
});

test('nothing, too much, and what cannot be stored are refused by their field', async () => {
  for (const text of ['', '   ', 'x'.repeat(2001), 'a\u0000b'])
    expect(await say(guest, text)).toMatchObject({
      status: 400,
      json: { error: { detail: { field: 'text' } } },
    });
});

test('who is here, and which joint they have in hand, is told as it changes', async () => {
  const [mine, theirs] = [randomUUID(), randomUUID()];
  const stop = new AbortController();
  const people: string[][] = [];
  const response = await painter.fetch(`${path}/events`, { signal: stop.signal });
  const reading = (async () => {
    let text = '';
    for await (const chunk of response.body as unknown as AsyncIterable<Uint8Array>) {
      text += new TextDecoder().decode(chunk);
      const events = text.split('\n\n');
      text = events.pop() ?? '';
      for (const event of events.filter((each) => each.startsWith('event: people')))
        people.push(
          (
            JSON.parse(event.slice(event.indexOf('data: ') + 6)) as {
              people: { name: string; joint: number | null }[];
            }
          ).people.map(({ name, joint }) => `${name} ${joint}`),
        );
    }
  })().catch(() => undefined);
  const told = async (wanted: string[]): Promise<void> => {
    while (JSON.stringify(people.at(-1)) !== JSON.stringify(wanted))
      await new Promise((resolve) => setTimeout(resolve, 10));
  };
  const here = (client: Client, page: string, joint: number | null): Promise<{ status: number }> =>
    client.send('PUT', `${path}/people/${page}`, { joint });
  await told([]);
  await here(painter, mine, 3);
  await told(['Painter 3']);
  await here(guest, theirs, null);
  await told(['Guest null', 'Painter 3']);
  await here(guest, theirs, 7);
  await told(['Guest 7', 'Painter 3']);
  // A page of somebody else’s is not moved or sent away.
  expect((await here(guest, mine, 1)).status).toBe(404);
  expect((await guest.send('POST', `${path}/people/${mine}/gone`, undefined)).status).toBe(404);
  await guest.send('POST', `${path}/people/${theirs}/gone`, undefined);
  await told(['Painter 3']);
  stop.abort();
  await reading;
});
