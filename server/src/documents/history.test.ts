import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import {
  decodeRows,
  encodeSelection,
  momentHeader,
  unpackFrame,
  type HistoryLine,
  type TouchedLine,
} from '@judoka/contract';
import type { Json } from '@judoka/core/document';
import { apply, copyRows, createRows, influencesOf, type WeightRows } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import { giveTo, ServiceClient } from '../../../contract/src/testing/documentService.ts';
import { startTestServer, type Client, type TestServer } from '../testServer.ts';
import { CHECKPOINT_REACH } from './checkpoints.queries.ts';

let server: TestServer;
let client: Client;
let source: Uint8Array;

beforeAll(async () => {
  server = await startTestServer();
  client = await server.client(await server.account('Iva'));
  source = await makeFerryKeeper({ size: 'small', faults: true });
});
afterAll(() => server.close());

const JOINTS = 60;

async function fresh() {
  const { json } = await client.post('/api/characters?name=Keeper', source);
  const character = json.id as string;
  return { character, service: new ServiceClient({ character, jointCount: JOINTS, fetch: client.fetch }) };
}

async function momentOf(service: ServiceClient, moment: number | string) {
  const { header, blobs } = unpackFrame(await service.bytes(`/moments/${moment}`));
  return { ...momentHeader.parse(header), rows: decodeRows(blobs[0]) };
}

async function linesOf(service: ServiceClient, query = ''): Promise<HistoryLine[]> {
  return (await client.get(`${service.path}/log${query}`)).json.lines as HistoryLine[];
}

async function touching(service: ServiceClient, points: number[], limit = 20): Promise<TouchedLine[]> {
  const response = await client.fetch(`${service.path}/log/touching?limit=${limit}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/octet-stream' },
    body: encodeSelection(new Map([[0, Uint32Array.from(points)]])),
  });
  expect(response.status).toBe(200);
  return ((await response.json()) as { lines: TouchedLine[] }).lines;
}

const lock = (joint: number) => [{ path: `locks/${joint}`, before: null, after: true }];

describe('the history', () => {
  test('says of each line who made it, when, and what it touched', async () => {
    const { service } = await fresh();
    const { rows } = await service.open();
    const held = influencesOf(rows[0], 9).map(({ joint }) => joint);
    await service.send(
      0,
      { id: randomUUID(), label: 'Add, knee', weights: giveTo(rows[0], 9, 12) },
      { id: randomUUID(), label: 'Lock', values: lock(31) },
      {
        ...{ id: randomUUID(), label: 'Part 3: none, then “Hat”' },
        values: [{ path: 'parts/2/name', before: null, after: 'Hat' }],
      },
    );
    const [named, locked, painted] = await linesOf(service);
    expect(painted).toMatchObject({ seq: 1, label: 'Add, knee', author: 'Iva', points: 1, parts: [0] });
    expect(painted.joints).toEqual([...held, 12].sort((a, b) => a - b));
    expect(Date.now() - Date.parse(painted.madeAt)).toBeLessThan(60_000);
    expect(locked).toMatchObject({ seq: 2, joints: [31], points: 0, parts: [] });
    expect(named).toMatchObject({ seq: 3, parts: [2], joints: [] });
  });

  test('is searched by words, joints, parts and large steps, a page at a time', async () => {
    const { service } = await fresh();
    const { rows } = await service.open();
    const edits = Array.from({ length: 12 }, (_, i) => ({
      id: randomUUID(),
      label: i % 3 === 0 ? `Smooth ${i}` : `Add ${i}`,
      weights: giveTo(rows[0], i, 55 + (i % 2)),
      ...(i === 7 && { isLarge: true }),
    }));
    await service.send(0, ...edits);
    const labels = async (query: string) => (await linesOf(service, query)).map(({ label }) => label);
    expect(await labels('?text=smoo')).toEqual(['Smooth 9', 'Smooth 6', 'Smooth 3', 'Smooth 0']);
    expect(await labels('?text=IVA&limit=2')).toEqual(['Add 11', 'Add 10']);
    expect(await labels('?joints=56&limit=3&before=9')).toEqual(['Add 7', 'Add 5', 'Smooth 3']);
    expect(await labels('?parts=3')).toEqual([]);
    expect(await labels('?large=1')).toEqual(['Add 7']);
    expect((await client.get(`${service.path}/log?joints=a`)).status).toBe(400);
  });

  test('tells who changed some points, the last one first', async () => {
    const { service } = await fresh();
    const { rows } = await service.open();
    const ids = [5, 6, 5, 900].map(() => randomUUID());
    const first = giveTo(rows[0], 5, 20);
    const after = copyRows(rows[0]);
    apply([after], first);
    await service.send(
      0,
      { id: ids[0], label: 'first', weights: first },
      { id: ids[1], label: 'beside', weights: giveTo(rows[0], 6, 20) },
      { id: ids[2], label: 'second', weights: giveTo(after, 5, 21) },
      { id: ids[3], label: 'elsewhere', weights: giveTo(rows[0], 900, 20) },
      { id: randomUUID(), label: 'elsewhere', kind: 'undo', target: ids[3] },
    );
    const told = await touching(service, [5, 7]);
    expect(told.map(({ label, touched, author }) => [label, touched, author])).toEqual([
      ['second', 1, 'Iva'],
      ['first', 1, 'Iva'],
    ]);
    expect((await touching(service, [900])).map(({ kind }) => kind)).toEqual(['undo', 'edit']);
    expect(await touching(service, [5, 6], 1)).toHaveLength(1);
    const { status } = await client.post(`${service.path}/log/touching`, new Uint8Array(3));
    expect(status).toBe(400);
  });

  test('lines of before it was kept are looked at when somebody asks', async () => {
    const { character, service } = await fresh();
    const { rows } = await service.open();
    await service.send(0, { id: randomUUID(), label: 'old', weights: giveTo(rows[0], 5, 20) });
    await server.database.query(
      `update edits set points = null, parts = null, touched_joints = null, places = null, author = null
       where character_id = $1`,
      [character],
    );
    expect((await touching(service, [5]))[0]).toMatchObject({ label: 'old', points: 1, author: null });
    expect(await linesOf(service, '?joints=20')).toHaveLength(1);
  });
});

describe('a moment', () => {
  test('is the character as it was: weights, joints and values, whatever was undone since', async () => {
    const { service } = await fresh();
    const opened = await service.open();
    const states: { rows: WeightRows; values: Readonly<Record<string, Json>>; setups: unknown }[] = [];
    const note = async (): Promise<void> => {
      const { rows, values, joints } = await service.open();
      states.push({ rows: rows[0], values, setups: joints });
    };
    await note();
    const ids: string[] = [];
    for (let n = 0; n < 10; n++) {
      const { rows } = await service.open();
      const id = randomUUID();
      ids.push(id);
      await service.send(n, {
        id,
        label: `edit ${n}`,
        weights: giveTo(rows[0], n % 4, 10 + n),
        values: n % 3 === 0 ? lock(n) : [],
      });
      await note();
    }
    const { rows } = await service.open();
    const from = rows[0].pointCount;
    const outlines = { from, points: from + 1, outlines: {}, places: { [from]: [0, 0] } };
    ids.push(randomUUID());
    await service.send(10, {
      ...{
        id: ids[10],
        label: 'Points',
        values: [{ path: 'parts/0/outlines', before: null, after: outlines }],
      },
      weights: giveTo(createRows(from + 1, rows[0].stride), from, 1),
    });
    await note();
    await service.send(11, { id: randomUUID(), label: 'Points', kind: 'undo', target: ids[10] });
    await note();
    await service.send(12, { id: randomUUID(), label: 'edit 9', kind: 'undo', target: ids[9] });
    await note();
    await service.send(13, { id: randomUUID(), label: 'edit 9', kind: 'redo', target: ids[9] });
    await note();
    expect(opened.head).toBe(0);
    for (const [seq, state] of states.entries()) {
      const { rows, values, joints } = await momentOf(service, seq);
      expect(rows[0]).toEqual(state.rows);
      expect(values).toEqual(state.values);
      expect(joints).toEqual(state.setups);
    }
    expect((await momentOf(service, ids[4])).seq).toBe(5);
  });

  test.each([
    ['15', 404],
    [randomUUID(), 404],
    ['yesterday', 400],
    ['-1', 400],
  ])('%s, which does not exist, is refused', async (moment, status) => {
    const { service } = await fresh();
    expect((await client.get(`${service.path}/moments/${moment}`)).status).toBe(status);
  });

  test('of ten thousand edits is near a checkpoint, and the same as when they are done one after the other', async () => {
    const { character, service } = await fresh();
    const { rows } = await service.open();
    const replay = copyRows(rows[0]);
    const wanted = new Map<number, WeightRows>();
    const asked = [1, 63, 64, 65, 130, 4_999, 5_000, 7_777, 9_999, 10_000];
    for (let base = 0; base < 10_000; base += 200) {
      const edits = Array.from({ length: 200 }, (_, i) => {
        const seq = base + i + 1;
        const weights = giveTo(replay, (seq * 7919) % 3000, seq % 57);
        apply([replay], weights);
        if (asked.includes(seq)) wanted.set(seq, copyRows(replay));
        return { id: randomUUID(), label: `edit ${seq}`, weights };
      });
      expect((await service.send(base, ...edits)).status).toBe(200);
    }
    const { rows: kept } = await server.database.query<{ seq: number }>(
      'select seq from checkpoints where character_id = $1 order by seq',
      [character],
    );
    expect(kept[0].seq).toBe(0);
    expect(kept.length).toBeLessThan(110);
    for (let i = 1; i < kept.length; i++)
      expect(kept[i].seq - kept[i - 1].seq).toBeLessThanOrEqual(2 * CHECKPOINT_REACH);
    for (const [seq, state] of wanted) expect((await momentOf(service, seq)).rows[0]).toEqual(state);
    const lines = await linesOf(service, '?before=4001&limit=500');
    expect(lines.map(({ seq }) => seq)).toEqual(Array.from({ length: 500 }, (_, i) => 4000 - i));
  });
});
