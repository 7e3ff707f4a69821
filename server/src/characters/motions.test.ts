import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { packFrame } from '@judoka/contract';
import { makeFerryKeeper, makeHauling } from '@judoka/demo';
import { startTestServer, type Client, type TestServer } from '../testServer.ts';

let server: TestServer;
let client: Client;
let path: string;

beforeAll(async () => {
  server = await startTestServer();
  client = await server.client();
  const made = await client.post(
    '/api/characters?name=motions',
    await makeFerryKeeper({ size: 'small', faults: false }),
  );
  path = `/api/characters/${made.json.id}`;
});
afterAll(() => server.close());

const text = new TextEncoder().encode(makeHauling());
const listed = async () =>
  (await client.get(`${path}/motions`)).json.motions as { id: string; name: string }[];

describe('motions', () => {
  test('are kept to the byte, told, corrected and removed', async () => {
    const made = await client.post(`${path}/motions?name=hauling`, text);
    expect(made.status).toBe(201);
    const { id } = made.json as { id: string };
    expect(await listed()).toEqual([{ id, name: 'hauling', follows: {} }]);
    expect(Buffer.from((await client.get(`${path}/motions/${id}`)).bytes).equals(Buffer.from(text))).toBe(
      true,
    );
    const change = { follows: { 3: 7, 4: -1 }, name: 'hauling, corrected' };
    expect((await client.send('PATCH', `${path}/motions/${id}`, change)).status).toBe(204);
    expect(await listed()).toEqual([{ id, ...change }]);
    expect((await client.send('DELETE', `${path}/motions/${id}`, undefined)).status).toBe(204);
    expect(await listed()).toEqual([]);
  });

  test('bad input is refused in a sentence, and nothing is kept', async () => {
    for (const [name, body] of [
      ['', text],
      ['empty', new Uint8Array(0)],
    ] as const) {
      const answer = await client.post(`${path}/motions?name=${name}`, body);
      expect(answer.status).toBe(400);
      expect(answer.json.error.message).toMatch(/[.]$/);
    }
    const { id } = (await client.post(`${path}/motions?name=one`, text)).json as { id: string };
    for (const change of [{}, { follows: { x: 1 } }, { follows: { 1: 9999 } }])
      expect((await client.send('PATCH', `${path}/motions/${id}`, change)).status).toBe(400);
    expect(await listed()).toMatchObject([{ name: 'one', follows: {} }]);
  });

  test('ranges, skinning and what was dismissed are kept with the character; poses keep their joint', async () => {
    const settings = {
      pairs: {},
      confines: {},
      reaches: {},
      parts: {},
      skinning: 'dual',
      ranges: { 5: { bend: [-10, 80], side: [0, 0], twist: [0, 0] } },
      dismissed: [{ part: 0, joint: 3, points: [4, 5, 9] }],
    };
    expect((await client.send('PUT', `${path}/settings`, settings)).status).toBe(204);
    expect((await client.get(path)).json.settings).toEqual(settings);
    const wrong = { ...settings, ranges: { 5: { bend: [10, 80], side: [0, 0], twist: [0, 0] } } };
    expect((await client.send('PUT', `${path}/settings`, wrong)).status).toBe(400);
    const joints = { 5: { rotation: [0, 0, 0, 1], translation: [0, 0, 0], scale: [1, 1, 1] } };
    await client.send('POST', `${path}/poses`, { name: 'bent', joints, picture: null, joint: 5 });
    expect((await client.get(`${path}/poses`)).json.poses).toMatchObject([{ name: 'bent', joint: 5 }]);
    const [{ id }] = (await client.get(`${path}/poses`)).json.poses as { id: string }[];
    await client.send('PATCH', `${path}/poses/${id}`, { joint: null });
    expect((await client.get(`${path}/poses`)).json.poses).toMatchObject([{ name: 'bent', joint: null }]);
  });

  test('as many as a character keeps are kept; one more of each kind is refused in a sentence', async () => {
    const other = await client.post(
      '/api/characters?name=full',
      await makeFerryKeeper({ size: 'small', faults: false }),
    );
    const full = `/api/characters/${other.json.id}`;
    const fill = (sql: string): Promise<unknown> => server.database.query(sql, [other.json.id]);
    await fill(
      `insert into motions (character_id, name, bytes)
       select $1, 'motion ' || n, '\\x00' from generate_series(1, 99) n`,
    );
    await fill(
      `insert into poses (character_id, name, joints)
       select $1, 'pose ' || n, '{}' from generate_series(1, 299) n`,
    );
    await fill(
      `insert into selections (character_id, name, points)
       select $1, 'selection ' || n, $2 from generate_series(1, 199) n`.replace(
        '$2',
        `decode('${Buffer.from(packFrame({ parts: [] }, [])).toString('hex')}', 'hex')`,
      ),
    );
    const pose = (name: string) => ({ name, joints: {}, picture: null, joint: null });
    const selection = packFrame({ name: 'mine', parts: [0] }, [new Uint8Array(4)]);
    const tries = [
      () => client.post(`${full}/motions?name=mine`, text),
      () => client.post(`${full}/selections`, selection),
      () => client.send('POST', `${full}/poses`, pose(`mine ${Math.random()}`)),
    ];
    for (const attempt of tries) {
      expect((await attempt()).status).toBe(201);
      const refused = await attempt();
      expect(refused.status).toBe(400);
      expect(refused.json.error.message).toMatch(/^A character keeps at most \d+ \w+\. Remove one/);
    }
    expect((await client.get(`${full}/motions`)).json.motions).toHaveLength(100);
    // Another character keeps its own.
    expect((await client.post(`${path}/motions?name=still`, text)).status).toBe(201);
  });

  test('belong to their owner', async () => {
    const { id } = (await listed())[0];
    const { rows } = await server.database.query<{ id: string }>(
      "insert into accounts (name) values ('someone else') returning id",
    );
    await server.database.query('update characters set owner_id = $1', [rows[0].id]);
    for (const where of [`${path}/motions`, `${path}/motions/${id}`])
      expect((await client.get(where)).status).toBe(404);
    expect((await client.post(`${path}/motions?name=mine`, text)).status).toBe(404);
    for (const method of ['PATCH', 'DELETE'])
      expect((await client.send(method, `${path}/motions/${id}`, { name: 'mine' })).status).toBe(404);
  });
});
