import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { decodeRows, encodeChange, weightsHeader } from '@judoka/contract';
import { type Change, createRows, DeltaBuilder, weightOf, type WeightRows } from '@judoka/core/weights';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { makeFerryKeeper } from '@judoka/demo';
import { clientWith, startTestServer, type Client, type TestServer } from '../testServer.ts';

let server: TestServer;
let client: Client;
let keeper: Uint8Array;
let id: string;

beforeAll(async () => {
  server = await startTestServer();
  client = await server.client();
  keeper = await makeFerryKeeper({ size: 'small', faults: true });
});
afterAll(() => server.close());

async function freshCharacter(name = 'A keeper'): Promise<string> {
  const answer = await client.post(`/api/characters?name=${encodeURIComponent(name)}`, keeper);
  expect(answer.status).toBe(201);
  return answer.json.id as string;
}

async function weights(character: string): Promise<{ head: number; rows: WeightRows[] }> {
  const { header, blobs } = await client.frame(`/api/characters/${character}/weights`);
  return { ...weightsHeader.parse(header), rows: decodeRows(blobs[0]) };
}

/** The change that gives one point of part 0 wholly to a joint. */
function giveTo(rows: WeightRows, point: number, joint: number, part = 0): Change {
  const after = createRows(1, rows.stride);
  after.joints[0] = joint;
  after.values[0] = 1;
  const builder = new DeltaBuilder(part, rows.stride, 1);
  builder.push(point, rows, point, after, 0);
  return [builder.finish()];
}

describe('coming in', () => {
  test('a .glb is read, summed up and pictured', async () => {
    id = await freshCharacter();
    const { json } = await client.get('/api/characters');
    expect(json.characters[0]).toMatchObject({ id, name: 'A keeper', parts: 8, joints: 60 });
    expect(json.characters[0].troubles.join()).toMatch(/points have no weight/);
    const picture = await client.get(`/api/characters/${id}/picture.png`);
    expect(picture.headers.get('content-type')).toBe('image/png');
    expect([...picture.bytes.subarray(1, 4)]).toEqual([80, 78, 71]);
  });

  test('the source comes back untouched, over several pieces too', async () => {
    const source = await client.get(`/api/characters/${id}/source.glb`);
    expect(Buffer.compare(source.bytes, keeper)).toBe(0);
    // A comment chunk of nine megabytes at the end: a reader must skip what it does not know.
    const padding = 9 * 1024 * 1024;
    const padded = Buffer.alloc(keeper.length + 8 + padding);
    padded.set(keeper);
    padded.writeUInt32LE(padded.length, 8);
    padded.writeUInt32LE(padding, keeper.length);
    padded.write('NOTE', keeper.length + 4);
    const big = await client.post('/api/characters?name=padded', padded);
    expect(big.status).toBe(201);
    const back = await client.get(`/api/characters/${big.json.id}/source.glb`);
    expect(Buffer.compare(back.bytes, padded)).toBe(0);
  });

  test.each([
    ['nothing', new Uint8Array(0), 'file-empty'],
    ['no glTF', new TextEncoder().encode('hello, this is no model'), 'file-not-gltf'],
  ])('%s is refused, and nothing is half there', async (_name, bytes, code) => {
    const before = (await client.get('/api/characters')).json.characters.length;
    const answer = await client.post('/api/characters?name=x', bytes);
    expect(answer.status).toBe(422);
    expect(answer.json.error).toMatchObject({ code, message: expect.stringMatching(/\.$/) });
    expect((await client.get('/api/characters')).json.characters).toHaveLength(before);
  });

  test('a cut file is refused with the reason', async () => {
    const answer = await client.post('/api/characters?name=x', keeper.subarray(0, 9000));
    expect(answer.json.error).toMatchObject({
      code: 'file-truncated',
      message: expect.stringMatching(/breaks off/),
    });
  });

  test('300 MB are refused by their announced length, before they are read', async () => {
    const { request } = await import('node:http');
    const url = new URL(`${server.address}/api/characters?name=x`);
    const cookie = (await fetch(`${server.address}/api/session`, { method: 'POST' })).headers
      .get('set-cookie')
      ?.split(';')[0];
    const status = await new Promise<number | undefined>((resolve, reject) => {
      const headers = {
        cookie,
        'Content-Type': 'application/octet-stream',
        'Content-Length': 300 * 1024 * 1024,
      };
      const call = request(url, { method: 'POST', headers }, (response) => {
        resolve(response.statusCode);
        call.destroy();
      });
      call.on('error', reject);
      call.write('glTF');
    });
    expect(status).toBe(413);
  });
});

describe('edits', () => {
  test('are appended, move the head, and change the weights', async () => {
    const character = await freshCharacter();
    const start = await weights(character);
    const change = giveTo(start.rows[0], 100, 3);
    const entry = { id: randomUUID(), kind: 'edit', label: 'Add, spine_2' };
    const answer = await client.postFrame(
      `/api/characters/${character}/edits`,
      { base: 0, entries: [entry] },
      [encodeChange(change)],
    );
    expect(answer.json).toEqual({ head: 1 });
    const after = await weights(character);
    expect(after.head).toBe(1);
    expect(weightOf(after.rows[0], 100, 3)).toBe(1);
    const { json } = await client.get(`/api/characters/${character}`);
    expect(json.history).toEqual([entry]);
  });

  test('the shelf tells what is still wrong after them', async () => {
    const character = await freshCharacter();
    const { rows } = await weights(character);
    const cape = 4;
    const loose = [...Array(rows[cape].pointCount).keys()].filter(
      (p) => rows[cape].values[p * rows[cape].stride] === 0,
    );
    const troubles = async (): Promise<string> =>
      (await client.get(`/api/characters/${character}`)).json.troubles[0] as string;
    expect(await troubles()).toBe(`${loose.length} points have no weight`);
    const entries = loose.slice(1).map((p) => ({ id: randomUUID(), kind: 'edit', label: `heal ${p}` }));
    const blobs = loose.slice(1).map((p) => encodeChange(giveTo(rows[cape], p, 3, cape)));
    await client.postFrame(`/api/characters/${character}/edits`, { base: 0, entries }, blobs);
    expect(await troubles()).toBe('1 point has no weight');
  });

  test('a repeat of an id changes nothing', async () => {
    const character = await freshCharacter();
    const { rows } = await weights(character);
    const header = { base: 0, entries: [{ id: randomUUID(), kind: 'edit', label: 'once' }] };
    const blobs = [encodeChange(giveTo(rows[0], 5, 2))];
    const path = `/api/characters/${character}/edits`;
    expect((await client.postFrame(path, header, blobs)).json).toEqual({ head: 1 });
    expect((await client.postFrame(path, header, blobs)).json).toEqual({ head: 1 });
    const more = {
      base: 0,
      entries: [...header.entries, { id: randomUUID(), kind: 'edit', label: 'twice' }],
    };
    const second = encodeChange(giveTo((await weights(character)).rows[0], 6, 2));
    expect((await client.postFrame(path, more, [...blobs, second])).json).toEqual({ head: 2 });
  });

  test('a repeat after someone else’s edit does not hide that edit', async () => {
    const character = await freshCharacter();
    const { rows } = await weights(character);
    const path = `/api/characters/${character}/edits`;
    const mine = { base: 0, entries: [{ id: randomUUID(), kind: 'edit', label: 'mine' }] };
    const blobs = [encodeChange(giveTo(rows[0], 5, 2))];
    await client.postFrame(path, mine, blobs);
    const theirs = { base: 1, entries: [{ id: randomUUID(), kind: 'edit', label: 'theirs' }] };
    await client.postFrame(path, theirs, [encodeChange(giveTo(rows[0], 6, 2))]);
    // The first answer was lost, and the page asks again: it is told where its own edit stands.
    expect((await client.postFrame(path, mine, blobs)).json).toEqual({ head: 1 });
    const next = { base: 1, entries: [{ id: randomUUID(), kind: 'edit', label: 'next' }] };
    expect((await client.postFrame(path, next, [encodeChange(giveTo(rows[0], 7, 2))])).status).toBe(409);
  });

  test('undo and redo are lines of the log', async () => {
    const character = await freshCharacter();
    const start = await weights(character);
    const edit = { id: randomUUID(), kind: 'edit', label: 'Add, tail_1' };
    const undo = { id: randomUUID(), kind: 'undo', label: 'Add, tail_1', target: edit.id };
    const redo = { id: randomUUID(), kind: 'redo', label: 'Add, tail_1', target: edit.id };
    const path = `/api/characters/${character}/edits`;
    const blob = encodeChange(giveTo(start.rows[0], 77, 4));
    await client.postFrame(path, { base: 0, entries: [edit, undo] }, [blob]);
    expect((await weights(character)).rows).toEqual(start.rows);
    expect((await client.postFrame(path, { base: 2, entries: [redo] }, [])).json).toEqual({ head: 3 });
    expect(weightOf((await weights(character)).rows[0], 77, 4)).toBe(1);
    const stray = { id: randomUUID(), kind: 'redo', label: 'x', target: edit.id };
    const refused = await client.postFrame(path, { base: 3, entries: [stray] }, []);
    expect(refused.json.error.code).toBe('argument-invalid');
    const delta = await client.frame(`/api/characters/${character}/edits/${edit.id}/delta`);
    expect(delta.header).toEqual({ joints: [] });
    expect(Buffer.compare(delta.blobs[0], blob)).toBe(0);
  });

  test('two tabs: the second is told, and can catch up', async () => {
    const character = await freshCharacter();
    const { rows } = await weights(character);
    const path = `/api/characters/${character}/edits`;
    const entry = (label: string) => ({ id: randomUUID(), kind: 'edit', label });
    await client.postFrame(path, { base: 0, entries: [entry('first tab')] }, [
      encodeChange(giveTo(rows[0], 1, 5)),
    ]);
    const clash = await client.postFrame(path, { base: 0, entries: [entry('second tab')] }, [
      encodeChange(giveTo(rows[0], 2, 5)),
    ]);
    expect(clash.status).toBe(409);
    expect(clash.json.error).toMatchObject({ code: 'edit-clash', detail: { head: 1 } });
    const later = await client.frame(`/api/characters/${character}/edits?after=0`);
    expect(later.header).toMatchObject({ head: 1, entries: [{ label: 'first tab' }] });
    expect(later.blobs).toHaveLength(1);
  });

  test('of tabs that send at the same time exactly one gets through', async () => {
    const character = await freshCharacter();
    const { rows } = await weights(character);
    const answers = await Promise.all(
      Array.from({ length: 6 }, (_, i) =>
        client.postFrame(
          `/api/characters/${character}/edits`,
          { base: 0, entries: [{ id: randomUUID(), kind: 'edit', label: `tab ${i}` }] },
          [encodeChange(giveTo(rows[0], i, 6))],
        ),
      ),
    );
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 409, 409, 409, 409, 409]);
    expect((await weights(character)).head).toBe(1);
  });

  test('a batch with one bad change leaves nothing of itself', async () => {
    const character = await freshCharacter();
    const { rows } = await weights(character);
    const good = encodeChange(giveTo(rows[0], 10, 7));
    const stale = encodeChange(giveTo(createRows(rows[0].pointCount, 8), 11, 7));
    const entries = [
      { id: randomUUID(), kind: 'edit', label: 'good' },
      { id: randomUUID(), kind: 'edit', label: 'made on other weights' },
    ];
    const path = `/api/characters/${character}/edits`;
    const answer = await client.postFrame(path, { base: 0, entries }, [good, stale]);
    expect(answer).toMatchObject({ status: 409, json: { error: { code: 'delta-mismatch' } } });
    expect((await weights(character)).rows).toEqual(rows);
    // And the good one still goes through afterwards.
    expect((await client.postFrame(path, { base: 0, entries: [entries[0]] }, [good])).json).toEqual({
      head: 1,
    });
  });

  test('after many edits the head comes from a checkpoint and the edits since', async () => {
    const character = await freshCharacter();
    const { rows } = await weights(character);
    for (let batch = 0; batch < 4; batch++) {
      const range = Array.from({ length: 20 }, (_, i) => batch * 20 + i);
      const entries = range.map((n) => ({ id: randomUUID(), kind: 'edit', label: `edit ${n}` }));
      const blobs = range.map((n) => encodeChange(giveTo(rows[0], n, 8)));
      const answer = await client.postFrame(
        `/api/characters/${character}/edits`,
        { base: batch * 20, entries },
        blobs,
      );
      expect(answer.json).toEqual({ head: (batch + 1) * 20 });
    }
    const checkpointed = async (): Promise<number[]> => {
      const sql = 'select seq from checkpoints where character_id = $1 order by seq';
      const { rows: found } = await server.database.query<{ seq: number }>(sql, [character]);
      return found.map(({ seq }) => seq);
    };
    const deadline = Date.now() + 10_000;
    while ((await checkpointed()).length < 2 && Date.now() < deadline) await new Promise(setImmediate);
    expect(await checkpointed()).toEqual([0, 80]);
    const state = await weights(character);
    for (let n = 0; n < 80; n++) expect(weightOf(state.rows[0], n, 8)).toBe(1);
  });

  test.each([
    ['a header that breaks the schema', { base: -1, entries: [] }, [], 'request-invalid'],
    [
      'a change without its data',
      { base: 0, entries: [{ id: randomUUID(), kind: 'edit', label: 'x' }] },
      [],
      'request-invalid',
    ],
    [
      'bytes that are no change',
      { base: 0, entries: [{ id: randomUUID(), kind: 'edit', label: 'x' }] },
      [Uint8Array.of(1, 2, 3, 4)],
      'delta-invalid',
    ],
  ])('%s is refused with a sentence', async (_name, header, blobs, code) => {
    const answer = await client.postFrame(`/api/characters/${id}/edits`, header, blobs);
    expect(answer.status).toBe(400);
    expect(answer.json.error).toMatchObject({ code, message: expect.stringMatching(/\.$/) });
  });
});

describe('export', () => {
  test('is the source with the weights at the head', async () => {
    const character = await freshCharacter('With / odd “name”');
    const { rows } = await weights(character);
    await client.postFrame(
      `/api/characters/${character}/edits`,
      { base: 0, entries: [{ id: randomUUID(), kind: 'edit', label: 'x' }] },
      [encodeChange(giveTo(rows[0], 42, 9))],
    );
    const { bytes, status } = await client.get(`/api/characters/${character}/export.glb`);
    expect(status).toBe(200);
    const back = await readCharacter(openGlb(bytes));
    expect(weightOf(back.rows[0], 42, 9)).toBe(1);
    expect(back.clips).toHaveLength(3);
  });
});

describe('what is kept beside the weights', () => {
  test('pose and locks come back; the schema names the field that is wrong', async () => {
    const joints = { 4: { rotation: [0, 0, 0.6, 0.8], translation: [0, 0, 0], scale: [1, 1, 1] } };
    expect((await client.send('PUT', `/api/characters/${id}/pose`, { joints })).status).toBe(204);
    expect((await client.send('PUT', `/api/characters/${id}/locks`, { joints: [2, 9] })).status).toBe(204);
    expect((await client.send('PUT', `/api/characters/${id}/still`, { joints: [0, 3] })).status).toBe(204);
    expect((await client.get(`/api/characters/${id}`)).json).toMatchObject({
      pose: joints,
      locks: [2, 9],
      still: [0, 3],
    });
    const wrong = await client.send('PUT', `/api/characters/${id}/pose`, {
      joints: { 4: { rotation: [0, 0, 0] } },
    });
    expect(wrong.status).toBe(400);
    expect(wrong.json.error.detail.field).toMatch(/^joints\.4\.rotation/);
  });

  test('a character can be renamed, taken off the shelf and put back', async () => {
    const character = await freshCharacter('First name');
    await client.send('PATCH', `/api/characters/${character}`, { name: 'Second name' });
    await client.send('PATCH', `/api/characters/${character}`, { removed: true });
    expect((await client.get(`/api/characters/${character}`)).status).toBe(404);
    await client.send('PATCH', `/api/characters/${character}`, { removed: false });
    expect((await client.get(`/api/characters/${character}`)).json.name).toBe('Second name');
  });
});

describe('whose it is', () => {
  test('nobody else sees or changes it', async () => {
    const { rows } = await server.database.query<{ id: string }>(
      "insert into accounts (name) values ('someone else') returning id",
    );
    await server.database.query('update characters set owner_id = $1 where id = $2', [rows[0].id, id]);
    for (const path of ['', '/weights', '/source.glb', '/picture.png', '/export.glb', '/edits?after=0']) {
      expect((await client.get(`/api/characters/${id}${path}`)).status).toBe(404);
    }
    expect((await client.send('PATCH', `/api/characters/${id}`, { name: 'mine' })).status).toBe(404);
    expect((await client.send('PUT', `/api/characters/${id}/locks`, { joints: [] })).status).toBe(404);
  });

  test('without signing in nothing is answered', async () => {
    const answer = await clientWith(server.address, '').get('/api/characters');
    expect(answer).toMatchObject({ status: 401, json: { error: { code: 'not-signed-in' } } });
  });

  test('a name that points here from elsewhere is not served', async () => {
    const { request } = await import('node:http');
    const status = await new Promise((resolve) => {
      request(`${server.address}/api/session`, { headers: { host: 'evil.example' } }, (r) =>
        resolve(r.statusCode),
      ).end();
    });
    expect(status).toBe(400);
  });

  test('a server that does not sign in by itself says so', async () => {
    const closed = await startTestServer({ localAccount: false });
    const answer = await clientWith(closed.address, '').send('POST', '/api/session', {});
    expect(answer.status).toBe(401);
    await closed.close();
  });
});

test('ids that are none, and addresses that do not exist, are told', async () => {
  expect((await client.get('/api/characters/12')).json.error).toMatchObject({
    code: 'request-invalid',
    detail: { field: 'id' },
  });
  expect((await client.get(`/api/characters/${randomUUID()}`)).json.error.code).toBe('not-found');
  expect((await client.get('/api/nowhere')).status).toBe(404);
});
