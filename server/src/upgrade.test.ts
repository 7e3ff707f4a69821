import { readFileSync } from 'node:fs';
import { gunzipSync } from 'node:zlib';
import { afterEach, expect, test } from '@jest/globals';
import { encodeRows, encodeWeights, selectionHeader, unpackFrame } from '@judoka/contract';
import { readSettings } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { apply, weightOf } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import pg from 'pg';
import { giveTo, ServiceClient, type Opened } from '../../contract/src/testing/documentService.ts';
import { migrate } from './database.ts';
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

test('a character of schema 5 opens with its weights, joints, settings and history, and is undone to its beginning', async () => {
  // As the server of that version left it, by pg_dump: joints, undone edits, settings, a pose, a selection, a motion.
  const dump = gunzipSync(readFileSync(new URL('./testing/schema-0005.sql.gz', import.meta.url))).toString();
  const sql = dump
    .split('\n')
    .filter((line) => !line.startsWith('\\'))
    .join('\n');
  server = await startTestServer({ fill: (url) => inDatabase(url, (client) => client.query(sql)) });
  const client = await server.client();
  const { service, opened } = await open(client);
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

  const undos = opened.done.map(({ id, label }) => ({
    ...{ id: crypto.randomUUID(), kind: 'undo' as const, label, target: id },
  }));
  expect(await service.send(5, ...undos)).toMatchObject({ status: 200, json: { head: 8 } });
  const file = await readCharacter(openGlb((await client.get(`${service.path}/source.glb`)).bytes));
  const bare = await service.open();
  expect(bare.rows.map(({ values }) => values)).toEqual(file.rows.map(({ values }) => values));
  expect(bare.joints[HORN] ?? null).toBeNull();
});

/** What an earlier schema had for locks and the rest, beside what all of them had. */
const EARLIER: readonly (readonly [schema: number, columns: Readonly<Record<string, unknown>>])[] = [
  [1, {}],
  [2, { still_joints: [0, 3] }],
  [3, { still_joints: [0, 3], joint_setups: {} }],
  [4, { still_joints: [0, 3], joint_setups: {}, settings: { pairs: { 7: 8 }, skinning: 'dual' } }],
];

test.each(EARLIER)('a character of schema %i comes up to date', async (schema, columns) => {
  const source = Buffer.from(await makeFerryKeeper({ size: 'small', faults: true }));
  const file = await readCharacter(openGlb(source));
  const change = giveTo(file.rows[0], 77, 4);
  const pose = { 4: { rotation: [0, 0, 1, 0], translation: [0, 0, 0], scale: [1, 1, 1] } };
  const fill = (url: string): Promise<void> =>
    migrate(url, schema).then(() =>
      inDatabase(url, async (db) => {
        const { rows } = await db.query(
          `insert into accounts (name, is_local, demo_loaded) values ('Local', true, true) returning id`,
        );
        const more = Object.keys(columns);
        const { rows: made } = await db.query(
          `insert into characters (owner_id, name, summary, source_bytes, head, locked_joints${more.map((name) => `, ${name}`).join('')})
           values ($1, 'Of before', $2, $3, 1, '{2,9}'${more.map((_, i) => `, $${i + 4}`).join('')}) returning id`,
          [rows[0].id, { parts: 8, points: 100, joints: 60 }, source.length, ...Object.values(columns)],
        );
        const id = made[0].id as string;
        await db.query('insert into source_pieces values ($1, 0, $2)', [id, source]);
        await db.query('insert into checkpoints (character_id, seq, weights) values ($1, 0, $2)', [
          id,
          encodeRows(file.rows),
        ]);
        await db.query(
          `insert into edits (character_id, seq, id, kind, label, delta) values ($1, 1, $2, 'edit', 'Give', $3)`,
          [id, crypto.randomUUID(), encodeWeights(change)],
        );
        await db.query('insert into poses (character_id, name, joints) values ($1, null, $2)', [id, pose]);
      }),
    );
  server = await startTestServer({ fill });
  const { opened } = await open(await server.client());
  apply(file.rows, change);
  expect(opened.rows.map(({ values }) => values)).toEqual(file.rows.map(({ values }) => values));
  expect(opened.done.map(({ label }) => label)).toEqual(['Give']);
  const settings = readSettings(opened.values);
  expect([...settings.locks]).toEqual([2, 9]);
  expect([...settings.nonDeforming]).toEqual(schema > 1 ? [0, 3] : []);
  expect(settings.pose).toEqual(pose);
  expect(settings.skinning).toBe(schema > 3 ? 'dual' : 'linear');
});
