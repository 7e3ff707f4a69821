import { readFileSync } from 'node:fs';
import { gunzipSync } from 'node:zlib';
import { afterEach, expect, test } from '@jest/globals';
import { selectionHeader, unpackFrame } from '@judoka/contract';
import { readSettings } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { weightOf } from '@judoka/core/weights';
import pg from 'pg';
import { giveTo, ServiceClient, type Opened } from '../../contract/src/testing/documentService.ts';
import { startTestServer, type Client, type TestServer } from './testServer.ts';

let server: TestServer;
afterEach(() => server.close());

async function inDatabase(url: string, work: (client: pg.Client) => Promise<unknown>): Promise<void> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    await work(client);
  } finally {
    await client.end();
  }
}

async function open(client: Client): Promise<{ service: ServiceClient; opened: Opened }> {
  const { json } = await client.get('/api/characters');
  expect(json.characters).toHaveLength(1);
  const service = new ServiceClient({
    character: json.characters[0].id,
    jointCount: 60,
    fetch: client.fetch,
  });
  return { service, opened: await service.open() };
}

/** A character as the server of a schema left it, by pg_dump, opened by today's. */
async function upgraded(schema: number): Promise<{ client: Client; service: ServiceClient; opened: Opened }> {
  const name = `./testing/schema-000${schema}.sql.gz`;
  const sql = gunzipSync(readFileSync(new URL(name, import.meta.url)))
    .toString()
    .split('\n')
    .filter((line) => !line.startsWith('\\'))
    .join('\n');
  server = await startTestServer({ fill: (url) => inDatabase(url, (client) => client.query(sql)) });
  const client = await server.client();
  return { client, ...(await open(client)) };
}

/** Undoes all that can be undone, and reads the file that the character came as. */
async function undoAll(client: Client, service: ServiceClient, { head, done }: Opened) {
  const undos = done.map(({ id, label }) => ({
    ...{ id: crypto.randomUUID(), kind: 'undo' as const, label, target: id },
  }));
  expect(await service.send(head, ...undos)).toMatchObject({
    status: 200,
    json: { head: head + done.length },
  });
  const file = await readCharacter(openGlb((await client.get(`${service.path}/source.glb`)).bytes));
  return { file, bare: await service.open() };
}

test('a character of schema 5 opens with its weights, joints, settings and history, and is undone to its beginning', async () => {
  // Joints, undone edits, settings, a pose, a selection, a motion.
  const { client, service, opened } = await upgraded(5);
  const HORN = 60;

  expect(opened.head).toBe(5);
  expect([weightOf(opened.rows[0], 77, 4), weightOf(opened.rows[0], 78, HORN)]).toEqual([1, 1]);
  expect(weightOf(opened.rows[0], 79, 6)).not.toBe(1);
  expect(opened.joints[HORN]).toMatchObject({ name: 'horn', parent: 5 });
  expect(opened.done.map(({ label }) => label)).toEqual([
    'Give 78 to horn',
    'Add joint horn',
    'Give 77 to 4',
  ]);
  expect(opened.undone.map(({ label }) => label)).toEqual(['Taken back']);

  const settings = readSettings(opened.values);
  expect([[...settings.locks], [...settings.nonDeforming]]).toEqual([
    [2, 9],
    [0, 3],
  ]);
  expect(settings).toMatchObject({
    pairs: { 7: 8 },
    skinning: 'dual',
    partNames: { 0: 'Body' },
    pieces: { 0: [{ name: 'Head', seeds: [3] }] },
    ranges: { 4: { bend: [-10, 100] } },
    dismissed: [{ part: 0, joint: 3, points: [1, 2] }],
    pose: { 4: { rotation: [0, 0, 0.5, expect.closeTo(Math.sqrt(0.75), 12)] } },
    poses: [{ name: 'Hauling', joint: 4 }],
    motions: [{ name: 'haul' }],
    selections: [{ name: 'Left sleeve', id: settings.confines[4] }],
  });
  expect([...settings.rigidParts]).toEqual([1]);
  const { header, blobs } = unpackFrame(
    await service.bytes(`/attachments/${settings.selections[0].attachment}`),
  );
  expect(selectionHeader.parse(header)).toEqual({ parts: [0] });
  expect([...new Uint32Array(blobs[0].slice().buffer)]).toEqual([5, 6, 7, 300]);
  const picture = await service.bytes(`/attachments/${settings.poses[0].picture}`);
  expect([...picture.subarray(1, 4)]).toEqual([80, 78, 71]);
  const motion = await service.bytes(`/attachments/${settings.motions[0].attachment}`);
  expect(new TextDecoder().decode(motion)).toMatch(/^HIERARCHY/);

  const { file, bare } = await undoAll(client, service, opened);
  expect(bare.rows.map(({ values }) => values)).toEqual(file.rows.map(({ values }) => values));
  expect(bare.joints[HORN] ?? null).toBeNull();
});

/** Schemas before: locks, a pose, an edit and one that was undone; then what was there besides. */
const EARLIER = [
  { schema: 1, still: [], labels: ['Give 77 to 4'] },
  { schema: 2, still: [0, 3], labels: ['Give 77 to 4'] },
  // Its migration came with that of schema 3.
  { schema: 4, still: [0, 3], labels: ['Give 78 to horn', 'Add joint horn', 'Give 77 to 4'] },
];

test.each(EARLIER)('a character of schema $schema comes up to date', async ({ schema, still, labels }) => {
  const { client, service, opened } = await upgraded(schema);
  expect(opened.head).toBe(labels.length + 2);
  expect(opened.done.map(({ label }) => label)).toEqual(labels);
  expect(opened.undone.map(({ label }) => label)).toEqual(['Taken back']);
  expect(weightOf(opened.rows[0], 77, 4)).toBe(1);
  expect(weightOf(opened.rows[0], 79, 6)).not.toBe(1);
  const settings = readSettings(opened.values);
  expect([...settings.locks]).toEqual([2, 9]);
  expect([...settings.nonDeforming]).toEqual(still);
  expect(settings.pose[4].rotation[2]).toBe(0.5);
  expect(settings.skinning).toBe('linear');
  const { file, bare } = await undoAll(client, service, opened);
  expect(bare.rows.map(({ values }) => values)).toEqual(file.rows.map(({ values }) => values));
  expect(Object.values(bare.joints).every((joint) => joint === null)).toBe(true);
});

test('what schema 4 kept beside the weights is there too, and what it named by an id still is', async () => {
  const { service, opened } = await upgraded(4);
  expect(opened.joints[60]).toMatchObject({ name: 'horn', parent: 5 });
  expect(weightOf(opened.rows[0], 78, 60)).toBe(1);
  const settings = readSettings(opened.values);
  expect(settings).toMatchObject({
    pairs: { 7: 8 },
    partNames: { 0: 'Body' },
    pieces: { 0: [{ name: 'Head', seeds: [3] }] },
    poses: [{ name: 'Hauling', joint: null }],
    selections: [{ name: 'Left sleeve', id: settings.confines[4] }],
  });
  expect([...settings.rigidParts]).toEqual([1]);
  const { blobs } = unpackFrame(await service.bytes(`/attachments/${settings.selections[0].attachment}`));
  expect([...new Uint32Array(blobs[0].slice().buffer)]).toEqual([5, 6, 7, 300]);
  // It can be worked on as anything else.
  const change = giveTo(opened.rows[0], 80, 4);
  expect(
    await service.send(opened.head, { id: crypto.randomUUID(), label: 'On', weights: change }),
  ).toMatchObject({
    status: 200,
  });
});
