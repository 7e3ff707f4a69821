import { once } from 'node:events';
import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect, test } from '@jest/globals';
import { closeServer } from './closeServer.ts';

const EVENTS = { close: (): Promise<void> => Promise.resolve() };

async function serve(answer: RequestListener): Promise<{ server: Server; address: string }> {
  const server = createServer(answer).listen(0, '127.0.0.1');
  await once(server, 'listening');
  return { server, address: `http://127.0.0.1:${(server.address() as AddressInfo).port}` };
}

test('a request under way is answered, a new one is not taken, and a kept connection holds nobody up', async () => {
  let answer = (): void => undefined;
  const { server, address } = await serve((request, response) => {
    if (request.url === '/quick') response.end('at once');
    else answer = () => response.end('kept');
  });
  await (await fetch(`${address}/quick`)).text();
  const slow = fetch(`${address}/slow`);
  await once(server, 'request');
  const closing = closeServer(server, EVENTS);
  await expect(fetch(`${address}/quick`)).rejects.toThrow();
  answer();
  expect(await (await slow).text()).toBe('kept');
  await closing;
});

test('readers’ streams are ended first, and one that does not end is cut off', async () => {
  const { server, address } = await serve((request, response) => {
    response.write('begun');
    if (request.url === '/stream') events.close = () => Promise.resolve(void response.end());
  });
  const events = { ...EVENTS };
  const [stream, endless] = [await fetch(`${address}/stream`), await fetch(`${address}/endless`)];
  const closing = closeServer(server, events);
  expect(await stream.text()).toBe('begun');
  await expect(endless.text()).rejects.toThrow();
  await closing;
});
