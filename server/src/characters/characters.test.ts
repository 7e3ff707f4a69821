import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { shelfAnswer, type CharacterCard } from '@judoka/contract';
import { checkInput, checkUp } from '@judoka/core/analysis/checkUp';
import { findStrays } from '@judoka/core/analysis/strays';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { makeFerryKeeper } from '@judoka/demo';
import { giveTo, ServiceClient } from '../../../contract/src/testing/documentService.ts';
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

  /** The card as soon as nothing has changed since it was looked over. */
  async function checkedCard(character: string): Promise<CharacterCard> {
    for (const until = performance.now() + 30_000; performance.now() < until;) {
      const { characters } = shelfAnswer.parse((await client.get('/api/characters')).json);
      const card = characters.find((each) => each.id === character);
      if (card?.isChecked) return card;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    throw new Error('It was never looked over.');
  }

  test('its card says all that its page would say, anew when it has changed', async () => {
    const { findings } = await checkedCard(id);
    const character = await readCharacter(openGlb(keeper));
    const wrong = checkUp(character).filter(({ severity, settled }) => severity !== 'note' && !settled);
    const strays = findStrays(checkInput(character, {})).filter(({ twin }) => !twin).length;
    expect(findings).toEqual([
      ...wrong.map(({ message }) => message),
      `${strays} patches of weight stray.`,
      expect.stringMatching(/^\d places have weights that jump/),
      expect.stringMatching(/^\d joints bend worse than on the other side\.$/),
    ]);
    const service = new ServiceClient({ character: id, jointCount: 60, fetch: client.fetch });
    const rows = character.rows[0];
    await service.send(0, { id: randomUUID(), label: 'Give', weights: giveTo(rows, 5, 6) });
    const { json } = await client.get(`/api/characters/${id}`);
    expect(json).toMatchObject({ isChecked: false, findings });
    expect((await checkedCard(id)).findings).toBeTruthy();
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
    const status = await new Promise<number | undefined>((resolve, reject) => {
      const headers = {
        cookie: client.cookie,
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

describe('on the shelf', () => {
  test('a character can be renamed, taken off and put back', async () => {
    const character = await freshCharacter('First name');
    await client.send('PATCH', `/api/characters/${character}`, { name: 'Second name' });
    await client.send('PATCH', `/api/characters/${character}`, { removed: true });
    expect((await client.get(`/api/characters/${character}`)).status).toBe(404);
    await client.send('PATCH', `/api/characters/${character}`, { removed: false });
    expect((await client.get(`/api/characters/${character}`)).json.name).toBe('Second name');
  });

  test.each([
    ['a NUL', 'a\u0000b'],
    ['half a letter', 'a\uD800'],
    ['nothing but spaces', '   '],
    ['too much', 'x'.repeat(121)],
  ])('a name with %s is refused with a sentence, not with a fault', async (_what, name) => {
    const answer = await client.send('PATCH', `/api/characters/${id}`, { name });
    expect(answer).toMatchObject({ status: 400, json: { error: { code: 'request-invalid' } } });
    expect(answer.json.error.detail.field).toBe('name');
  });

  test('a row of our own that cannot be read is told as our fault', async () => {
    const character = await freshCharacter();
    await server.database.query(`update characters set summary = '{}' where id = $1`, [character]);
    expect((await client.get(`/api/characters/${character}`)).json.error.code).toBe('server-failed');
    await client.send('PATCH', `/api/characters/${character}`, { removed: true });
  });
});

describe('whose it is', () => {
  test('nobody else sees or changes it', async () => {
    const stranger = await server.client(await server.account('Someone else'));
    for (const path of [
      '',
      '/document',
      '/source.glb',
      '/picture.png',
      '/export.glb',
      '/edits?after=0',
      '/events',
    ]) {
      expect((await stranger.get(`/api/characters/${id}${path}`)).status).toBe(404);
    }
    expect((await stranger.send('PATCH', `/api/characters/${id}`, { name: 'mine' })).status).toBe(404);
    expect(
      (await stranger.put(`/api/characters/${id}/attachments/${randomUUID()}`, Uint8Array.of(1))).status,
    ).toBe(404);
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
});

test('ids that are none, and addresses that do not exist, are told', async () => {
  expect((await client.get('/api/characters/12')).json.error).toMatchObject({
    code: 'request-invalid',
    detail: { field: 'id' },
  });
  expect((await client.get(`/api/characters/${randomUUID()}`)).json.error.code).toBe('not-found');
  expect((await client.get('/api/nowhere')).status).toBe(404);
});
