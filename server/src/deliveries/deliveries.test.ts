import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { AskedDelivery, DeliveryLine } from '@judoka/contract';
import { DELIVERY, type Delivery } from '@judoka/core/document';
import { openCharacterFile, readCharacter, unzip } from '@judoka/core/formats';
import { makeFerryKeeper } from '@judoka/demo';
import { insertShelf, putOnShelf } from '../people/shelves.queries.ts';
import { startTestServer, type Client, type TestServer } from '../testServer.ts';

let server: TestServer;
let client: Client;
let keeper: string;
beforeAll(async () => {
  server = await startTestServer();
  client = await server.client();
  const bytes = await makeFerryKeeper({ size: 'small', faults: false });
  keeper = (await client.post('/api/characters?name=The/keeper', bytes)).json.id as string;
});
afterAll(() => server.close());

const asking = (how: Partial<Delivery> = {}): AskedDelivery => ({
  id: randomUUID(),
  delivery: { ...DELIVERY, ...how },
  profile: 'Phone',
  lines: [{ words: 'At most 4 of 4 influences a vertex.', isMet: true }],
  cost: 0.0004,
});
const path = (more = ''): string => `/api/characters/${keeper}/deliveries${more}`;
const deliver = async (asked: AskedDelivery): Promise<DeliveryLine> =>
  (await client.send('POST', path(), asked)).json as DeliveryLine;

/** Gives a joint another name, as an edit at a head. */
async function lock(base: number): Promise<void> {
  const entry = {
    ...{ id: randomUUID(), kind: 'edit', label: 'Lock' },
    values: [{ path: `locks/${base + 3}`, before: null, after: true }],
  };
  const sent = await client.postFrame(`/api/characters/${keeper}/edits`, { base, entries: [entry] }, []);
  expect(sent.status).toBe(200);
}

test('what left is fetched again to the bit, whatever was done since', async () => {
  const asked = asking({ weights: 'u8' });
  const line = await deliver(asked);
  expect(line).toMatchObject({
    head: 0,
    file: 'The_keeper.glb',
    profile: 'Phone',
    cost: 0.0004,
    lines: asked.lines,
  });
  const first = await client.get(path(`/${line.id}/file`));
  expect(first.bytes.length).toBe(line.bytes);
  await lock(0);
  const again = await client.get(path(`/${line.id}/file`));
  expect(again.bytes).toEqual(first.bytes);
  expect(again.headers.get('content-disposition')).toContain('The_keeper.glb');
  const { rows } = await readCharacter(openCharacterFile(again.bytes));
  for (const value of rows[0].values.subarray(0, 800))
    expect(Math.abs(value * 255 - Math.round(value * 255))).toBeLessThan(1e-4);
});

test('asked for twice, it leaves once; the last stands first', async () => {
  const asked = asking({ format: 'dae' });
  const [one, other] = [await deliver(asked), await deliver(asked)];
  expect(other).toEqual(one);
  const { deliveries } = (await client.get(path())).json as { deliveries: DeliveryLine[] };
  expect(deliveries.filter(({ id }) => id === asked.id)).toHaveLength(1);
  expect(deliveries[0].id).toBe(asked.id);
  expect(deliveries[0].head).toBeGreaterThan(0);
});

test('a .gltf leaves with its buffer, in a zip file', async () => {
  const line = await deliver(asking({ format: 'gltf' }));
  expect(line.file).toBe('The_keeper.zip');
  const files = unzip((await client.get(path(`/${line.id}/file`))).bytes);
  expect([...files.keys()].sort()).toEqual(['The_keeper.bin', 'The_keeper.gltf']);
});

test('what no setting is, and what cannot be split, is refused in a sentence and not kept', async () => {
  const before = (await client.get(path())).json.deliveries.length as number;
  const wrong = await client.send('POST', path(), { ...asking(), delivery: { ...DELIVERY, scale: 0 } });
  expect([wrong.status, wrong.json.error.code]).toEqual([400, 'request-invalid']);
  expect(wrong.json.error.message).toContain('scale');
  const split = await client.send('POST', path(), asking({ maxJoints: 2 }));
  expect(split.status).toBe(400);
  expect(split.json.error.message).toMatch(/One face alone follows more than 2 joints/);
  expect((await client.get(path())).json.deliveries).toHaveLength(before);
});

test('a guest sees and fetches, and lets nothing leave; a stranger sees nothing', async () => {
  const [owner, guest] = [await server.account('Owner'), await server.account('Guest')];
  const shelf = await insertShelf(server.database, owner, 'Shared');
  await putOnShelf(server.database, shelf, guest, 'guest');
  const [own, looking] = [await server.client(owner), await server.client(guest)];
  const bytes = await makeFerryKeeper({ size: 'small', faults: false });
  const id = (await own.post(`/api/characters?name=Shared&shelf=${shelf}`, bytes)).json.id as string;
  const line = (await own.send('POST', `/api/characters/${id}/deliveries`, asking())).json as DeliveryLine;
  expect(line.by).toBe('Owner');
  const at = `/api/characters/${id}/deliveries`;
  expect((await looking.get(at)).json.deliveries).toHaveLength(1);
  expect((await looking.get(`${at}/${line.id}/file`)).status).toBe(200);
  expect((await looking.send('POST', at, asking())).status).toBe(403);
  expect((await looking.send('DELETE', `${at}/${line.id}`, {})).status).toBe(403);
  expect((await client.get(at)).status).toBe(404);
  expect((await client.get(`${at}/${line.id}/file`)).status).toBe(404);
  // An id of another character's delivery tells nothing.
  expect((await client.get(path(`/${line.id}/file`))).status).toBe(404);
  expect((await own.send('DELETE', `${at}/${line.id}`, {})).status).toBe(204);
  expect((await own.get(`${at}/${line.id}/file`)).status).toBe(404);
});
