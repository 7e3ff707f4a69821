import { request as httpRequest } from 'node:http';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { makeEntryKey } from '../accounts/entryKeys.queries.ts';
import { clientWith, startTestServer, type Client, type TestServer } from '../testServer.ts';
import { databaseError } from './databaseErrors.ts';

let server: TestServer;
let client: Client;
beforeAll(async () => {
  server = await startTestServer();
  client = await server.client();
});
afterAll(() => server.close());

describe('what the database’s errors mean', () => {
  test.each([
    ['22021', 'request-invalid', /cannot be stored/],
    ['23505', 'edit-clash', /changed elsewhere/],
    ['40P01', 'edit-clash', /changed elsewhere/],
    ['23503', 'not-found', /does not exist any more/],
    ['53100', 'storage-full', /disk of the server is full/],
    ['25006', 'read-only', /only lets itself be read/],
    ['57P01', 'database-away', /cannot be reached/],
    ['ECONNREFUSED', 'database-away', /cannot be reached/],
  ])('%s is %s', (code, meaning, words) => {
    const error = databaseError(Object.assign(new Error('inside'), { code }));
    expect(error?.code).toBe(meaning);
    expect(error?.message).toMatch(words);
    expect(error?.message).not.toContain('inside');
  });

  test('a connection that is cut says so in its words alone', () => {
    expect(databaseError(new Error('Connection terminated unexpectedly'))?.code).toBe('database-away');
    expect(databaseError(new Error('timeout exceeded when trying to connect'))?.code).toBe('database-away');
  });

  test.each([
    [new Error('Something else')],
    [{ code: 'constructor' }],
    [{ code: 42 }],
    [undefined],
    ['text'],
  ])('%p is none of the database’s', (error) => {
    expect(databaseError(error)).toBeUndefined();
  });
});

describe('who may ask', () => {
  test.each([
    ['GET', '/api/characters'],
    ['POST', '/api/characters?name=x'],
    ['GET', '/api/session'],
  ])('%s %s needs a session', async (method, path) => {
    const stranger = clientWith(server.address, '');
    const { status, json } = await stranger.send(method, path, undefined);
    expect([status, json.error.code]).toEqual([401, 'not-signed-in']);
  });

  test('a cookie that was made up is none', async () => {
    const stranger = clientWith(server.address, 'judoka=s%3Amade-up.signature');
    expect((await stranger.get('/api/characters')).status).toBe(401);
  });

  /** A request that says it came to another name. */
  const askAs = (host: string): Promise<number> =>
    new Promise((resolve, reject) => {
      const { port } = new URL(server.address);
      httpRequest({ port, host: '127.0.0.1', path: '/api/characters', headers: { host } }, (response) => {
        response.resume();
        resolve(response.statusCode ?? 0);
      })
        .on('error', reject)
        .end();
    });

  test('a name that points here, but is not this machine’s, gets nothing', async () => {
    expect(await askAs('evil.example')).toBe(400);
    expect(await askAs('localhost.evil.example')).toBe(400);
    expect(await askAs('localhost:1')).toBe(401);
    expect(await askAs('[::1]:4600')).toBe(401);
  });
});

describe('what every answer carries', () => {
  test('a strict policy, and isolation, so that workers may share memory', async () => {
    const { headers } = await client.get('/api/characters');
    const policy = headers.get('content-security-policy') ?? '';
    expect(policy).toContain("default-src 'none'");
    expect(policy).toMatch(/script-src 'self' 'wasm-unsafe-eval'/);
    expect(policy).not.toMatch(/script-src[^;]*unsafe-inline/);
    expect(policy).toContain("frame-ancestors 'none'");
    expect(headers.get('cross-origin-opener-policy')).toBe('same-origin');
    expect(headers.get('cross-origin-embedder-policy')).toBe('require-corp');
    expect(headers.get('x-content-type-options')).toBe('nosniff');
    expect(headers.get('x-powered-by')).toBeNull();
  });

  test('the session’s cookie is out of scripts’ reach and stays on this site', async () => {
    const key = await makeEntryKey(server.database, await server.account('Cookie'));
    const { headers } = await clientWith(server.address, '').send('POST', '/api/enter', { key });
    const cookie = headers.get('set-cookie') ?? '';
    expect(cookie).toMatch(/HttpOnly/i);
    expect(cookie).toMatch(/SameSite=Strict/i);
  });
});

describe('bodies', () => {
  test('JSON that is none, of another type, or too large is refused in a sentence', async () => {
    const patch = (body: BodyInit, type: string): Promise<Response> =>
      client.fetch('/api/characters/00000000-0000-4000-8000-000000000000', {
        method: 'PATCH',
        headers: { 'Content-Type': type },
        body,
      });
    for (const [body, type] of [
      ['{"name":', 'application/json'],
      ['name=x', 'application/x-www-form-urlencoded'],
      [JSON.stringify({ name: 'x'.repeat(300_000) }), 'application/json'],
      ['[]', 'application/json'],
      ['"x"', 'application/json'],
    ]) {
      const response = await patch(body, type);
      expect(response.status).toBeGreaterThanOrEqual(400);
      expect(response.status).toBeLessThan(500);
      const { error } = (await response.json()) as { error: { message: string } };
      expect(error.message).toMatch(/[.]$/);
    }
  });

  test('what is squeezed is not opened: it is as large as it says', async () => {
    const response = await client.fetch('/api/characters?name=Squeezed', {
      method: 'POST',
      headers: { 'Content-Type': 'application/octet-stream', 'Content-Encoding': 'gzip' },
      body: Uint8Array.of(31, 139, 8, 0),
    });
    expect(response.status).toBeGreaterThanOrEqual(400);
    expect(response.status).toBeLessThan(500);
  });

  test('a name with a NUL, or of nothing, is refused by its field', async () => {
    for (const name of ['%00', '%20%20', 'x'.repeat(400)]) {
      const { status, json } = await client.post(`/api/characters?name=${name}`, Uint8Array.of(1));
      expect(status).toBe(400);
      expect(json.error.code).toBe('request-invalid');
    }
  });
});
