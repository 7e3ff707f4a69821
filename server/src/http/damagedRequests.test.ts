import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, expect, jest, test } from '@jest/globals';
import { errorAnswer, packFrame } from '@judoka/contract';
import { makeFerryKeeper } from '@judoka/demo';
import { routesOf, type RouteOf } from '../testing/routesOf.ts';
import { startTestServer, type Client, type TestServer } from '../testServer.ts';

jest.setTimeout(120_000);

let server: TestServer;
let client: Client;
let routes: RouteOf[];
let character: string;
beforeAll(async () => {
  server = await startTestServer();
  client = await server.client(await server.account('Fuzzed'));
  const keeper = await makeFerryKeeper({ size: 'small', faults: false });
  character = (await client.post('/api/characters?name=Fuzzed', keeper)).json.id;
  // Streams do not end by themselves, and who is signed out asks nothing more.
  routes = routesOf(server.app).filter(
    ({ method, path }) =>
      path.startsWith('/api') &&
      !path.endsWith('/events') &&
      !(method === 'DELETE' && path.includes('session')),
  );
});
afterAll(() => server.close());

/** Numbers from 0 to 1, the same each time. */
let state = 7;
const random = (): number => {
  state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
  return state / 2 ** 32;
};
const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)];

const TEXTS = [
  '',
  'x',
  '\u0000',
  '\ud800',
  '../..',
  '%00',
  "' or 1=1 --",
  '-1',
  '1e999',
  '[]',
  'x'.repeat(3000),
  'null',
];
const NUMBERS = [0, -1, 0.5, 1e21, Number.MAX_SAFE_INTEGER, 2 ** 31, -(2 ** 63)];
const KEYS = [
  'name',
  'text',
  'id',
  'joint',
  'place',
  'role',
  'password',
  'token',
  'key',
  'settled',
  'shelf',
  'removed',
];

function anything(depth = 0): unknown {
  const kind = Math.floor(random() * (depth > 3 ? 5 : 7));
  if (kind === 0) return pick(TEXTS);
  if (kind === 1) return pick(NUMBERS);
  if (kind === 2) return pick([true, false, null]);
  if (kind === 3) return randomUUID();
  if (kind === 4) return character;
  if (kind === 5) return Array.from({ length: 3 }, () => anything(depth + 1));
  return Object.fromEntries(Array.from({ length: 4 }, () => [pick(KEYS), anything(depth + 1)]));
}

const bytesOf = (length: number): Uint8Array => Uint8Array.from({ length }, () => Math.floor(random() * 256));

/** A body of some kind, hardly ever the right one, and what it says it is. */
function body(): { type: string; bytes: BodyInit } {
  const json = 'application/json';
  const binary = 'application/octet-stream';
  return pick<() => { type: string; bytes: BodyInit }>([
    () => ({ type: json, bytes: JSON.stringify(anything()) }),
    () => ({ type: json, bytes: JSON.stringify(anything()).slice(0, -1) }),
    () => ({ type: json, bytes: '{'.repeat(2000) }),
    () => ({ type: binary, bytes: bytesOf(Math.floor(random() * 300)) as Uint8Array<ArrayBuffer> }),
    () => ({
      type: binary,
      bytes: packFrame({ base: pick(NUMBERS), entries: [anything()] }, [bytesOf(40)]),
    }),
    () => ({
      type: binary,
      bytes: packFrame(
        {
          base: 0,
          entries: [{ id: randomUUID(), kind: 'edit', label: 'x', weights: { blob: 0 }, values: anything() }],
        },
        [bytesOf(64)],
      ),
    }),
    () => ({ type: 'text/plain', bytes: pick(TEXTS) }),
  ])();
}

const INSIDE = /\b(select|insert|update) |node_modules|\.ts:|at \w+ \(|ECONN|TypeError|undefined|ZodError/;

test('2,000 damaged requests: none crashes, none answers 500, none shows the inside', async () => {
  const before = await client.get(`/api/characters/${character}/edits?after=0`);
  const counts = new Map<number, number>();
  for (let count = 0; count < 2000; count++) {
    const route = pick(routes);
    const path = route.path.replace(/:(\w+)/g, (_, name: string) =>
      encodeURIComponent(
        name === 'id' && random() < 0.6 ? character : pick([randomUUID(), '1', 'x', '-', '\u0000', 'a b']),
      ),
    );
    const query =
      random() < 0.3
        ? `?${pick(['after', 'below', 'name', 'shelf', 'saved'])}=${encodeURIComponent(pick(['', '-1', 'x', '1e9', '\u0000']))}`
        : '';
    const { type, bytes } = body();
    const response = await client.fetch(path + query, {
      method: route.method,
      headers: { 'Content-Type': type },
      ...(route.method === 'GET' ? {} : { body: bytes }),
    });
    const text = await response.text();
    counts.set(response.status, (counts.get(response.status) ?? 0) + 1);
    const what = `${route.method} ${path + query}: ${response.status} ${text.slice(0, 200)}`;
    if (response.status >= 500) throw new Error(what);
    if (response.status < 400) continue;
    const { error } = errorAnswer.parse(JSON.parse(text));
    if (!error.message.endsWith('.') || INSIDE.test(error.message)) throw new Error(what);
  }
  expect([...counts.values()].reduce((a, b) => a + b, 0)).toBe(2000);
  expect(counts.get(400)).toBeGreaterThan(200);
  const after = await client.get(`/api/characters/${character}/edits?after=0`);
  expect(Buffer.compare(after.bytes, before.bytes)).toBe(0);
});
