import { randomUUID } from 'node:crypto';
import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { startTestServer, type TestServer } from '../testServer.ts';
import { LiveEvents } from './LiveEvents.ts';

let server: TestServer;
let events: LiveEvents;
beforeEach(async () => {
  server = await startTestServer();
  events = new LiveEvents(server.databaseUrl);
});
afterEach(async () => {
  await events.close();
  await server.close();
});

const tell = (character: string, head: number): Promise<unknown> =>
  server.database.query('select pg_notify($1, $2)', ['judoka_heads', `${character} ${head}`]);

/** Tells a head again and again until somebody has heard one; the first may come before anybody listens. */
async function heard(heads: readonly number[], character: string): Promise<void> {
  for (let head = 1; heads.length === 0; head++) {
    if (head > 200) throw new Error('Nobody has heard anything.');
    await tell(character, head);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

test('a head is told to those who read that character, and to nobody else', async () => {
  const [one, other] = [randomUUID(), randomUUID()];
  const heads: number[] = [];
  const others: number[] = [];
  events.subscribe(one, { onHead: (head) => heads.push(head) });
  events.subscribe(other, { onHead: (head) => others.push(head) });
  await heard(heads, one);
  expect(heads[0]).toBeGreaterThan(0);
  expect(others).toEqual([]);
});

test('several readers of one character hear the same; one that has gone hears nothing more', async () => {
  const character = randomUUID();
  const first: number[] = [];
  const second: number[] = [];
  const leave = events.subscribe(character, { onHead: (head) => first.push(head) });
  events.subscribe(character, { onHead: (head) => second.push(head) });
  await heard(second, character);
  leave();
  const before = first.length;
  second.length = 0;
  await heard(second, character);
  expect(first).toHaveLength(before);
});

test('a connection that the database cuts is made anew', async () => {
  const character = randomUUID();
  const heads: number[] = [];
  events.subscribe(character, { onHead: (head) => heads.push(head) });
  await heard(heads, character);
  await server.database.query(
    `select pg_terminate_backend(pid) from pg_stat_activity where query like 'listen judoka_heads%' and datname = current_database()`,
  );
  heads.length = 0;
  await heard(heads, character);
  expect(heads.length).toBeGreaterThan(0);
});
