import { spawn } from 'node:child_process';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, jest, test } from '@jest/globals';
import pg from 'pg';
import { openPlace } from './lib/openPlace.mjs';
import { run, ROOT } from './lib/run.mjs';
import { makeFolder, removePlace, Start } from './testing/startedPlace.ts';
import { bringIn, painterOf, shelfOf, signIn } from './testing/work.ts';

jest.setTimeout(180_000);

let data: string;
let file: string;
let place: Start;
let address: string;
const others: { data: string; start?: Start }[] = [];

/** Runs one of the commands in a place; what it said, and its exit code. */
async function command(name: 'backup' | 'restore', folder: string, ...args: string[]) {
  const child = spawn(process.execPath, [join(ROOT, `scripts/${name}.mjs`), ...args], {
    env: { PATH: process.env.PATH, JUDOKA_DATA: folder },
  });
  let output = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (text) => (output += String(text)));
  const code = await new Promise((resolve) => child.once('exit', resolve));
  return { code, output };
}

function newPlace(): string {
  const folder = makeFolder();
  others.push({ data: folder });
  return folder;
}

async function startIn(folder: string): Promise<string> {
  const start = new Start(folder);
  others.push({ data: folder, start });
  return start.address();
}

/** Looks into the database of a place that does not run. */
async function withDatabase<T>(folder: string, work: (client: pg.Client) => Promise<T>): Promise<T> {
  const { url, close } = await openPlace(folder);
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end();
    await close();
  }
}

beforeAll(async () => {
  data = makeFolder();
  file = join(dirname(data), 'whole.tar');
  place = new Start(data);
  address = await place.address();
});
afterAll(async () => {
  for (const start of [place, ...others.flatMap(({ start: each }) => each ?? [])]) await start.end();
  for (const folder of new Set([data, ...others.map((each) => each.data)])) removePlace(folder);
});

describe('a backup', () => {
  test('is of one moment while people paint, and is put back into an empty place', async () => {
    const ask = await signIn(address, data);
    const painter = await bringIn(ask, 'Painted on');
    for (let stroke = 0; stroke < 5; stroke++) await painter.stroke();
    const pause = new AbortController();
    let lastSaved = 0;
    const painting = (async () => {
      while (!pause.signal.aborted) if (await painter.stroke()) lastSaved = painter.head + 1;
    })();
    const { code, output } = await command('backup', data, file);
    pause.abort();
    await painting;
    expect(output).toMatch(/whole\.tar: [\d.]+ MB, 1 characters, \d+ edits\./);
    expect(code).toBe(0);
    const edits = Number(/(\d+) edits/.exec(output)?.[1]);
    expect(edits).toBeGreaterThanOrEqual(5);
    expect(edits).toBeLessThanOrEqual(lastSaved);

    const empty = newPlace();
    expect(await command('restore', empty, file)).toMatchObject({ code: 0 });
    const there = await signIn(await startIn(empty), empty);
    const [card] = await shelfOf(there);
    const restored = (await painterOf(there, card.id)).service;
    const { head, done } = await restored.open();
    expect(head).toBe(edits);
    expect(done[0].label).toBe(`Stroke ${edits}`);
    const { entries, blobs } = await painter.service.later(edits - 1);
    expect(await restored.later(edits - 1)).toEqual({
      head: edits,
      more: false,
      entries: entries.slice(0, 1),
      blobs: blobs.slice(0, 1),
    });
  });

  test('stops nobody: what stood before is put beside by a word, or in the place of what is there by another', async () => {
    const ask = await signIn(address, data);
    const [{ id }] = await shelfOf(ask);
    const painter = await painterOf(ask, id);
    const backup = join(dirname(data), 'second.tar');
    await painter.stroke();
    const before = await painter.service.open();
    expect((await command('backup', data, backup)).code).toBe(0);
    for (let stroke = 0; stroke < 3; stroke++) await painter.stroke();

    const asked = await command('restore', data, backup);
    expect([asked.code, asked.output]).toEqual([1, expect.stringMatching(/--beside .* --replace/s)]);
    expect((await painter.service.open()).head).toBe(before.head + 3);

    expect(await command('restore', data, backup, '--beside')).toMatchObject({ code: 0 });
    const both = await shelfOf(ask);
    expect(both.map(({ name }) => name)).toEqual(['Painted on', 'Painted on']);
    const copy = both.find((card) => card.id !== id)?.id ?? '';
    const { id: _copyId, ...copied } = await (await painterOf(ask, copy)).service.open();
    const { id: _id, ...was } = before;
    expect(copied).toEqual(was);

    const replaced = await command('restore', data, backup, '--replace');
    expect(replaced).toMatchObject({
      code: 0,
      output: expect.stringMatching(/kept as the database judoka_before_\d+/),
    });
    // The server runs on; whoever was signed in comes in anew, as sessions are no part of a backup.
    const anew = await signIn(address, data);
    expect((await shelfOf(anew)).map((card) => card.id)).toEqual([id]);
    const service = (await painterOf(anew, id)).service;
    expect(await service.open()).toEqual(before);
    expect(await (await painterOf(anew, id)).stroke()).toBe(true);
    expect((await service.open()).rows[0]).not.toEqual(before.rows[0]);
  });

  test('of a place that does not run is the same', async () => {
    const still = newPlace();
    expect((await command('restore', still, file)).code).toBe(0);
    const copy = join(dirname(still), 'copy.tar');
    expect(await command('backup', still, copy)).toMatchObject({ code: 0 });
    const manifestOf = (tar: string) =>
      JSON.parse(run('tar', ['-xOf', tar, 'manifest.json'])) as { tables: unknown; steps: unknown };
    expect(manifestOf(copy).tables).toEqual({ ...(manifestOf(file).tables as object), place: 2 });
    expect(manifestOf(copy).steps).toEqual(manifestOf(file).steps);
  });
});

describe('a backup that cannot be', () => {
  const refused = async (name: string, bytes: Uint8Array): Promise<string> => {
    const bad = join(dirname(data), name);
    writeFileSync(bad, bytes);
    const { code, output } = await command('restore', data, bad, '--replace');
    expect(code).toBe(1);
    const ask = await signIn(address, data);
    expect(await shelfOf(ask)).toHaveLength(1);
    return output;
  };

  test('what is none, or cut off, or changed by one bit, is refused, and everything stays', async () => {
    const whole = readFileSync(file);
    expect(await refused('text.tar', Buffer.from('no tar'))).toMatch(/is no backup, or not a whole one/);
    expect(await refused('cut.tar', whole.subarray(0, whole.length >> 1))).toMatch(/not a whole one|damaged/);
    const changed = Buffer.from(whole);
    changed[whole.length >> 1] ^= 1;
    expect(await refused('changed.tar', changed)).toMatch(/changed or damaged after it was made/);
  });

  test('nothing is written over; a missing name and a missing file are told', async () => {
    expect(await command('backup', data, file)).toMatchObject({
      code: 1,
      output: expect.stringMatching(/is there already/),
    });
    expect(await command('backup', data)).toMatchObject({ code: 2 });
    expect(await command('restore', data, join(data, 'nowhere.tar'), '--replace')).toMatchObject({
      code: 1,
      output: expect.stringMatching(/is not there/),
    });
    expect(await command('restore', data, file, '--wrongly')).toMatchObject({ code: 2 });
  });

  test('no half backups or unpacked ones are left about', () => {
    expect(readdirSync(dirname(data)).filter((name) => name.startsWith('.judoka'))).toEqual([]);
    expect(existsSync(file)).toBe(true);
  });
});

describe('backups that are made by themselves', () => {
  test('by the clock, tried by restoring, and before a new version changes the database', async () => {
    const folder = newPlace();
    const first = new Start(folder, { env: { JUDOKA_BACKUP: 'every 24h keep 2 for 9d' } });
    others.push({ data: folder, start: first });
    await bringIn(await signIn(await first.address(), folder), 'Kept');
    await first.says(/restored once to try it/);
    const made = readdirSync(join(folder, 'backups'));
    expect(made).toEqual([expect.stringMatching(/^judoka-\d{4}-.*\.tar$/)]);
    await first.end();

    await withDatabase(folder, async (client) => {
      await client.query('drop schema public cascade; create schema public');
      await client.query(
        gunzipSync(readFileSync(join(ROOT, 'server/src/testing/schema-0005.sql.gz')))
          .toString()
          .replace(/^\\.*$/gm, ''),
      );
    });
    const second = new Start(folder);
    others.push({ data: folder, start: second });
    await second.says(/This version changes the database; a backup is made first/);
    await second.address();
    expect(readdirSync(join(folder, 'backups')).filter((name) => name.startsWith('before-'))).toHaveLength(1);
    expect(await second.end()).toBe(0);
    const steps = await withDatabase(
      folder,
      async (client) => (await client.query('select from migrations')).rowCount,
    );
    expect(steps).toBe(readdirSync(join(ROOT, 'server/migrations')).length);
  });

  test('a schedule that cannot be is told at once', async () => {
    const start = new Start(newPlace(), { env: { JUDOKA_BACKUP: 'sometimes' } });
    expect(await start.ended).toBe(1);
    expect(start.output).toMatch(/JUDOKA_BACKUP should be like/);
  });
});
