import { randomUUID } from 'node:crypto';
import { gunzipSync, gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { encodeWeights } from '@judoka/contract';
import type { Character } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { addJoint, renameJoint } from '@judoka/core/skeleton';
import { makeFerryKeeper } from '@judoka/demo';
import fc from 'fast-check';
import { giveTo, ServiceClient } from '../../../contract/src/testing/documentService.ts';
import { startTestServer, type Client, type TestServer } from '../testServer.ts';

let server: TestServer;
let client: Client;
let base: Character;
let character: string;
let service: ServiceClient;

const clientOf = (id: string): ServiceClient =>
  new ServiceClient({ character: id, jointCount: base.skeleton.joints.length, fetch: client.fetch });

beforeAll(async () => {
  server = await startTestServer();
  client = await server.client();
  const source = await makeFerryKeeper({ size: 'small', faults: true });
  base = await readCharacter(openGlb(source));
  character = (await client.post('/api/characters?name=The%20keeper', source)).json.id as string;
  service = clientOf(character);
  await work();
});
afterAll(() => server.close());

/** Edits of every kind: weights (in a blob and in pieces), joints, values, an attachment, an undo and a redo. */
async function work(): Promise<void> {
  const { rows } = await service.open();
  const [stroke, undone, large, selection, attachment] = Array.from({ length: 5 }, () => randomUUID());
  const joints = renameJoint(base.skeleton, 3, 'Mast');
  await service.send(0, { id: stroke, label: 'Stroke', weights: giveTo(rows[0], 5, 2) });
  await service.send(1, { id: randomUUID(), label: 'Rename', joints });
  await service.send(2, {
    id: randomUUID(),
    label: 'Add a joint',
    joints: addJoint(base.skeleton, 'extra', 5, 'extra', [0, 1, 0]),
  });
  await service.put(`/edits/${large}/pieces/0`, encodeWeights(giveTo(rows[0], 9, 4)));
  await service.send(3, { id: large, label: 'Large', weights: { pieces: 1 } });
  await service.put(`/attachments/${attachment}`, Uint8Array.of(1, 2, 3));
  const saved = { name: 'Knees', attachment, savedAt: 5 };
  await service.send(4, {
    id: randomUUID(),
    label: 'Save a selection',
    values: [{ path: `selections/${selection}`, before: null, after: saved }],
  });
  await service.send(5, {
    id: undone,
    label: 'Lock',
    values: [{ path: 'locks/7', before: null, after: true }],
  });
  const turn = (kind: 'undo' | 'redo') => ({ id: randomUUID(), kind, label: 'Lock', target: undone });
  await service.send(6, turn('undo'));
  await service.send(7, turn('redo'));
  await service.send(8, turn('undo'));
}

const fileOf = async (id = character): Promise<Uint8Array> =>
  (await client.get(`/api/characters/${id}/history.judoka`)).bytes;

const takeIn = (bytes: Uint8Array) => client.post('/api/characters/history', bytes);

const onShelf = async (): Promise<number> =>
  ((await client.get('/api/characters')).json.characters as unknown[]).length;

describe('a character with all its history as a file', () => {
  test('goes out and comes in the same: weights to the bit, joints, values, history and what is saved', async () => {
    const { status, json } = await takeIn(await fileOf());
    expect(status).toBe(201);
    expect(json.name).toBe('The keeper');
    const copy = clientOf(json.id as string);
    const [was, is] = [await service.open(), await copy.open()];
    expect({ ...is, id: was.id }).toEqual(was);
    const attachment = (
      is.values[Object.keys(is.values).find((path) => path.startsWith('selections/')) ?? ''] as never
    )['attachment'] as string;
    expect([...(await copy.bytes(`/attachments/${attachment}`))]).toEqual([1, 2, 3]);
    const times = 'select made_at from edits where character_id = $1 order by seq';
    const [before, after] = await Promise.all(
      [character, json.id as string].map((id) => server.database.query<{ made_at: Date }>(times, [id])),
    );
    expect(after.rows.map(({ made_at }) => made_at.getTime())).toEqual(
      before.rows.map(({ made_at }) => made_at.getTime()),
    );
  });

  test('what came in is undone to its beginning, and its file is the same again', async () => {
    const first = await fileOf();
    const copy = clientOf((await takeIn(first)).json.id as string);
    const again = await fileOf(copy.path.split('/').at(-1));
    expect(gunzipSync(again).equals(gunzipSync(first))).toBe(true);
    for (let { head, done } = await copy.open(); done.length > 0; { head, done } = await copy.open())
      await copy.send(head, {
        id: randomUUID(),
        kind: 'undo',
        label: done[0].label,
        target: done[0].id,
      } as never);
    const { rows, values, joints } = await copy.open();
    expect(rows[0]).toEqual(base.rows[0]);
    expect(Object.keys(joints)).toHaveLength(2);
    expect(Object.keys(values).filter((path) => /locks|selections/.test(path))).toEqual([]);
  });

  test('of somebody else’s is not there', async () => {
    expect((await client.get(`/api/characters/${randomUUID()}/history.judoka`)).status).toBe(404);
  });
});

describe('a file that is none', () => {
  const refused = async (bytes: Uint8Array): Promise<string> => {
    const before = await onShelf();
    const { status, json } = await takeIn(bytes);
    expect(status).toBe(422);
    expect(json.error.message).toMatch(/\.$/);
    expect(json.error.message).not.toMatch(/undefined|Error|JSON/);
    expect(await onShelf()).toBe(before);
    const { rows } = await server.database.query('select from characters where arriving_at is not null');
    expect(rows).toHaveLength(0);
    return json.error.message as string;
  };

  test.each([
    ['nothing', new Uint8Array(0)],
    ['text', new TextEncoder().encode('hello')],
    ['packed text', gzipSync('hello\n')],
    ['packed nothing', gzipSync('')],
  ])('%s is refused', async (_name, bytes) => {
    await refused(bytes);
  });

  const lines = async (): Promise<string[]> =>
    gunzipSync(await fileOf())
      .toString()
      .trimEnd()
      .split('\n');
  const pack = (text: readonly string[]): Uint8Array => gzipSync(`${text.join('\n')}\n`);

  test('of a newer version says so', async () => {
    const [first, ...rest] = await lines();
    const words = await refused(pack([first.replace('"version":1', '"version":2'), ...rest]));
    expect(words).toMatch(/newer version of Judoka/);
  });

  test('with an edit that does not fit names it', async () => {
    const all = await lines();
    const words = await refused(
      pack(all.map((line) => line.replace('"path":"locks/7"', '"path":"locks/9999"'))),
    );
    expect(words).toMatch(/line 15, .*locks\/9999/);
  });

  test('with a line left out, twice, or in another place is refused', async () => {
    const all = await lines();
    const bytesAt = all.findIndex((line) => line.startsWith('"'));
    await refused(pack(all.filter((_, i) => i !== bytesAt)));
    await refused(pack([...all.slice(0, 1), ...all]));
    await refused(pack(all.filter((line) => !line.includes('"what":"end"'))));
    await refused(pack(all.filter((line) => !line.includes('"label":"Rename"'))));
  });

  test('cut off or changed anywhere is refused or the same, never half there', async () => {
    const file = await fileOf();
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 1, max: file.length - 1 }), async (length) => {
        await refused(file.slice(0, length));
      }),
      { numRuns: 12 },
    );
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 10, max: file.length - 1 }),
        fc.integer({ min: 1, max: 255 }),
        async (at, by) => {
          const changed = file.slice();
          changed[at] ^= by;
          expect([201, 422]).toContain((await takeIn(changed)).status);
        },
      ),
      { numRuns: 12 },
    );
  });
});
