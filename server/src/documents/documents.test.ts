import { randomUUID } from 'node:crypto';
import { request } from 'node:http';
import { deflateSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { packFrame } from '@judoka/contract';
import type { Character } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { addJoint, moveJoints, renameJoint, restWorld } from '@judoka/core/skeleton';
import { weightOf } from '@judoka/core/weights';
import { makeFerryKeeper, makeHauling } from '@judoka/demo';
import {
  describeDocumentService,
  giveTo,
  ServiceClient,
} from '../../../contract/src/testing/documentService.ts';
import { startTestServer, type Client, type TestServer } from '../testServer.ts';

let server: TestServer;
let client: Client;
let source: Uint8Array;
let base: Character;

beforeAll(async () => {
  server = await startTestServer();
  client = await server.client();
  source = await makeFerryKeeper({ size: 'small', faults: true });
  base = await readCharacter(openGlb(source));
});
afterAll(() => server.close());

async function fresh(name = 'A keeper') {
  const { json } = await client.post(`/api/characters?name=${encodeURIComponent(name)}`, source);
  const character = json.id as string;
  const service = { character, jointCount: base.skeleton.joints.length, fetch: client.fetch };
  return { character, service: new ServiceClient(service), raw: service };
}

describeDocumentService('the server', async () => (await fresh()).raw);

const exported = async (character: string): Promise<Character> =>
  readCharacter(openGlb((await client.get(`/api/characters/${character}/export.glb`)).bytes));

const checkpoints = async (character: string): Promise<number[]> => {
  const sql = 'select seq from checkpoints where character_id = $1 order by seq';
  const { rows } = await server.database.query<{ seq: number }>(sql, [character]);
  return rows.map(({ seq }) => seq);
};

describe('the log', () => {
  test('of tabs that send at the same time for different points all get through, each told of the others', async () => {
    const { service } = await fresh();
    const { rows } = await service.open();
    const answers = await Promise.all(
      Array.from({ length: 6 }, (_, i) =>
        service.send(0, { id: randomUUID(), label: `tab ${i}`, weights: giveTo(rows[0], i, 6) }),
      ),
    );
    expect(answers.map(({ status }) => status)).toEqual(Array<number>(6).fill(200));
    expect(answers.map(({ json }) => json.head).sort()).toEqual([1, 2, 3, 4, 5, 6]);
    for (const { json } of answers)
      expect(json).toEqual(json.head === 1 ? { head: 1 } : { head: json.head, behind: true });
    expect((await service.open()).head).toBe(6);
  });

  test('of tabs that send at the same time for one point exactly one gets through', async () => {
    const { service } = await fresh();
    const { rows } = await service.open();
    const answers = await Promise.all(
      Array.from({ length: 6 }, (_, i) =>
        service.send(0, { id: randomUUID(), label: `tab ${i}`, weights: giveTo(rows[0], 3, 6 + i) }),
      ),
    );
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 409, 409, 409, 409, 409]);
    expect((await service.open()).head).toBe(1);
  });

  test('a repeat after someone else’s edit does not hide that edit', async () => {
    const { service } = await fresh();
    const { rows } = await service.open();
    const mine = { id: randomUUID(), label: 'mine', weights: giveTo(rows[0], 5, 2) };
    await service.send(0, mine);
    await service.send(1, { id: randomUUID(), label: 'theirs', weights: giveTo(rows[0], 6, 2) });
    // The first answer was lost, and the page asks again: it is told where its own edit stands.
    expect((await service.send(0, mine)).json).toEqual({ head: 1 });
    const next = { id: randomUUID(), label: 'next', weights: giveTo(rows[0], 7, 2) };
    expect((await service.send(1, next)).json).toEqual({ head: 3, behind: true });
  });

  test('after many edits the head comes from a checkpoint and the edits since; old checkpoints go', async () => {
    const { character, service } = await fresh();
    const { rows } = await service.open();
    for (let batch = 0; batch < 8; batch++) {
      const edits = Array.from({ length: 64 }, (_, i) => batch * 64 + i).map((n) => ({
        id: randomUUID(),
        label: `edit ${n}`,
        weights: giveTo(rows[0], n, 8),
      }));
      expect((await service.send(batch * 64, ...edits)).json).toEqual({ head: (batch + 1) * 64 });
    }
    const kept = await checkpoints(character);
    expect(kept[0]).toBe(0);
    expect(kept.slice(-3)).toEqual([384, 448, 512]);
    expect(kept.length).toBeLessThan(8);
    const state = await service.open();
    for (let n = 0; n < 512; n++) expect(weightOf(state.rows[0], n, 8)).toBe(1);
    expect(state.done).toHaveLength(100);
    expect(state.moreDone).toBe(true);
    const { json } = await client.get(`/api/characters/${character}/history?below=${state.done[99].id}`);
    expect(json.done[0].label).toBe('edit 411');
  });

  test('what is still wrong with the weights is told on the shelf', async () => {
    const { character, service } = await fresh();
    const { rows } = await service.open();
    const cape = 4;
    const { pointCount, stride, values } = rows[cape];
    const loose = [...Array(pointCount).keys()].filter((p) => values[p * stride] === 0);
    const troubles = async (): Promise<string> =>
      (await client.get(`/api/characters/${character}`)).json.troubles[0] as string;
    expect(await troubles()).toBe(`${loose.length} points have no weight`);
    const edits = loose.slice(1).map((p) => ({
      id: randomUUID(),
      label: `heal ${p}`,
      weights: giveTo(rows[cape], p, 3).map((delta) => ({ ...delta, part: cape })),
    }));
    await service.send(0, ...edits);
    expect(await troubles()).toBe('1 point has no weight');
  });

  test.each([
    ['a header that breaks the schema', { base: -1, entries: [] }],
    ['an undo without a target', { base: 0, entries: [{ id: randomUUID(), kind: 'undo', label: 'x' }] }],
    [
      'an id that stands twice',
      {
        base: 0,
        entries: ['a', 'b'].map((label) => ({
          id: '11111111-1111-4111-8111-111111111111',
          kind: 'edit',
          label,
        })),
      },
    ],
  ])('%s is refused with a sentence', async (_name, header) => {
    const { character } = await fresh();
    const answer = await client.postFrame(`/api/characters/${character}/edits`, header, []);
    expect(answer.status).toBe(400);
    expect(answer.json.error).toMatchObject({
      code: 'request-invalid',
      message: expect.stringMatching(/\.$/),
    });
  });

  test('a small body that unpacks to a large one is not unpacked', async () => {
    const { character } = await fresh();
    const bomb = deflateSync(packFrame({ base: 0, entries: [] }, []));
    const answer = await client.post(`/api/characters/${character}/edits`, bomb, {
      'Content-Encoding': 'deflate',
    });
    expect(answer.json.error.code).toBe('request-invalid');
    const many = new Uint8Array(20 + 4 * 100_000);
    const view = new DataView(many.buffer);
    [0x3146444a, 4, 0x20203120].forEach((word, i) => view.setUint32(i * 4, word, true));
    view.setUint32(12, 100_000, true);
    const blobs = await client.post(`/api/characters/${character}/edits`, many);
    expect(blobs.json.error.message).toMatch(/4096 are the most/);
  });
});

describe('joints', () => {
  test('a change is kept, comes back with the document, is undone, and is exported', async () => {
    const { character, service } = await fresh();
    const id = randomUUID();
    const joints = renameJoint(base.skeleton, 3, 'Mast “2”');
    await service.send(0, { id, label: 'Rename', joints });
    expect((await service.open()).joints).toEqual({ 3: joints[0].after });
    expect((await exported(character)).skeleton.joints[3].name).toBe('Mast “2”');
    await service.send(1, { id: randomUUID(), kind: 'undo', label: 'Rename', target: id });
    expect((await service.open()).joints).toEqual({ 3: joints[0].before });
  });

  test('an added joint is counted on the shelf, and is no longer when it is undone', async () => {
    const { character, service } = await fresh();
    const count = async (): Promise<number> => (await client.get(`/api/characters/${character}`)).json.joints;
    const id = randomUUID();
    await service.send(0, {
      id,
      label: 'Add',
      joints: addJoint(base.skeleton, 'extra', 5, 'extra', [0, 1, 0]),
    });
    expect(await count()).toBe(61);
    await service.send(1, { id: randomUUID(), kind: 'undo', label: 'Add', target: id });
    expect(await count()).toBe(60);
    expect((await service.open()).joints).toEqual({ 60: null });
    expect((await exported(character)).skeleton.joints).toHaveLength(60);
  });

  test('a moved joint stands there in the export, and every weight is the file’s own', async () => {
    const { character, service } = await fresh('With / odd “name”');
    const joints = moveJoints(base.skeleton, new Map([[7, [0.01, 0.9, 0.02]]]), true);
    await service.send(0, { id: randomUUID(), label: 'Place', joints });
    const again = await exported(character);
    const at = [...restWorld(again.skeleton).subarray(7 * 16 + 12, 7 * 16 + 15)];
    [0.01, 0.9, 0.02].forEach((x, k) => expect(at[k]).toBeCloseTo(x, 5));
    const weighted = base.parts.findIndex(({ role }) => role === 'skinned');
    expect(again.rows[weighted].values).toEqual(base.rows[weighted].values);
    expect(again.clips).toHaveLength(3);
  });

  test('a character from before skeletons were kept reads its own from its file', async () => {
    const { character, service } = await fresh();
    await server.database.query('update characters set skeleton = null where id = $1', [character]);
    const joints = renameJoint(base.skeleton, 3, 'Mast');
    expect((await service.send(0, { id: randomUUID(), label: 'Rename', joints })).status).toBe(200);
    const { rows } = await server.database.query<{ count: number }>(
      'select jsonb_array_length(skeleton) as count from characters where id = $1',
      [character],
    );
    expect(rows[0].count).toBe(60);
  });
});

describe('things under names', () => {
  test('no more than a character may keep', async () => {
    const { service } = await fresh();
    const attachment = randomUUID();
    await service.put(`/attachments/${attachment}`, Uint8Array.of(1));
    const save = (n: number) => ({
      path: `motions/${randomUUID()}`,
      before: null,
      after: { name: `m${n}`, attachment, follows: {}, savedAt: n },
    });
    const all = Array.from({ length: 100 }, (_, n) => save(n));
    expect((await service.send(0, { id: randomUUID(), label: 'Many', values: all })).status).toBe(200);
    const one = await service.send(1, { id: randomUUID(), label: 'One more', values: [save(100)] });
    expect(one.json.error.message).toMatch(/at most 100 motions/);
  });
});

describe('an export', () => {
  test('has the motions that were brought in as clips if it is asked to', async () => {
    const { character, service } = await fresh();
    const attachment = randomUUID();
    await service.put(`/attachments/${attachment}`, new TextEncoder().encode(makeHauling()));
    const motion = { name: 'Hauling', attachment, follows: {}, savedAt: 1 };
    const values = [{ path: `motions/${randomUUID()}`, before: null, after: motion }];
    await service.send(0, { id: randomUUID(), label: 'Bring in', values });
    const names = async (how: string): Promise<string[]> => {
      const { bytes } = await client.get(`/api/characters/${character}/export.glb${how}`);
      return (await readCharacter(openGlb(bytes))).clips.map(({ name }) => name);
    };
    const own = base.clips.map(({ name }) => name);
    expect(await names('')).toEqual(own);
    expect(await names('?motions=all')).toEqual([...own, 'Hauling']);
  });
});

describe('readers', () => {
  /** Heads that come over a stream of events; `until` resolves when one has come. */
  function listen(address: string, cookie: string, character: string) {
    const heads: number[] = [];
    const call = request(
      `${address}/api/characters/${character}/events`,
      { headers: { cookie } },
      (response) => {
        response.setEncoding('utf8');
        response.on('data', (text: string) => {
          for (const [, json] of text.matchAll(/data: (.*)\n/g))
            heads.push((JSON.parse(json) as { head: number }).head);
        });
      },
    );
    call.on('error', () => undefined);
    call.end();
    const until = async (head: number): Promise<void> => {
      while (!heads.includes(head)) await new Promise((resolve) => setTimeout(resolve, 10));
    };
    return { heads, until, close: () => call.destroy() };
  }

  test('are told of a new head, also by another server on the same database', async () => {
    const { character, service } = await fresh();
    const second = await startTestServer({ database: server.databaseUrl });
    const stream = listen(second.address, (await second.client()).cookie, character);
    await stream.until(0);
    const { rows } = await service.open();
    await service.send(0, { id: randomUUID(), label: 'Give', weights: giveTo(rows[0], 5, 2) });
    await stream.until(1);
    stream.close();
    await second.close();
  });
});
