import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { asHttpError, HttpError, request, requestBytes } from './http.ts';

type Answer = Response | 'gone';
let answers: ((path: string, init?: RequestInit) => Answer)[] = [];
const asked: string[] = [];

const json = (body: unknown, status = 200): Response => new Response(JSON.stringify(body), { status });
const refusal = (status: number, code: string, message: string): Response =>
  json({ error: { code, message, detail: { at: 3 } } }, status);

beforeEach(() => {
  answers = [];
  asked.length = 0;
  const answered = (path: string, init?: RequestInit): Promise<Response> => {
    asked.push(`${init?.method ?? 'GET'} ${path}`);
    const answer = (answers.shift() ?? (() => json({})))(path, init);
    return answer === 'gone' ? Promise.reject(new TypeError('no network')) : Promise.resolve(answer);
  };
  globalThis.fetch = answered as typeof fetch;
});
afterEach(() => expect(answers).toEqual([]));

describe('a request', () => {
  test('that finds nobody signed in says so, and is not made again', async () => {
    answers = [() => refusal(401, 'not-signed-in', 'You are not signed in here.')];
    await expect(request('/api/characters')).rejects.toMatchObject({ code: 'not-signed-in' });
    expect(asked).toEqual(['GET /api/characters']);
  });

  test('refused for good, it says the server’s sentence, code and detail', async () => {
    answers = [() => refusal(404, 'not-found', 'There is no such character.')];
    const error = await request('/api/characters/1').catch((thrown: unknown) => thrown as HttpError);
    expect(error).toBeInstanceOf(HttpError);
    expect(error).toMatchObject({
      code: 'not-found',
      message: 'There is no such character.',
      detail: { at: 3 },
    });
  });

  test('what never arrives is offline, with what that means', async () => {
    answers = [() => 'gone'];
    await expect(request('/api/characters')).rejects.toMatchObject({
      code: 'offline',
      message: expect.stringMatching(/cannot be reached/) as unknown as string,
    });
  });
});

describe('answers that are none of ours', () => {
  test.each([
    [502, 'offline'],
    [503, 'offline'],
    [500, 'server-failed'],
    [418, 'server-failed'],
  ])('%d is %s', (status, code) => {
    expect(asHttpError(status, '<html>').code).toBe(code);
  });

  test('an error of the wrong shape is not taken for ours', () => {
    expect(asHttpError(400, { error: { code: 'made-up', message: 'x' } }).code).toBe('server-failed');
  });
});

describe('bytes', () => {
  const chunked = (chunks: Uint8Array[], length: number): Response =>
    new Response(
      new ReadableStream({
        start(controller) {
          for (const chunk of chunks) controller.enqueue(chunk);
          controller.close();
        },
      }),
      { headers: { 'Content-Length': String(length) } },
    );

  test('come in pieces, with their share told as it grows', async () => {
    const told: number[] = [];
    answers = [() => chunked([Uint8Array.of(1, 2), Uint8Array.of(3, 4)], 4)];
    expect([...(await requestBytes('/x', (share) => told.push(share)))]).toEqual([1, 2, 3, 4]);
    expect(told).toEqual([0.5, 1]);
  });

  test('more than was announced is refused', async () => {
    answers = [() => chunked([Uint8Array.of(1, 2, 3)], 2)];
    await expect(requestBytes('/x')).rejects.toThrow(/More bytes came/);
  });

  test('without a length they come whole', async () => {
    answers = [() => new Response(Uint8Array.of(7, 8))];
    expect([...(await requestBytes('/x'))]).toEqual([7, 8]);
  });
});
