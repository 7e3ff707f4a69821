import { expect, test } from '@jest/globals';
import { weightOf } from '@judoka/core/weights';
import { findCopy, keepSource, listCopies } from '../../document/copies/copyStore.ts';
import { CopyKeeper } from '../../document/copies/CopyKeeper.ts';
import type { SimulatedServer } from '../../testing/SimulatedServer.ts';
import {
  ARM_L,
  BODY,
  doneLabels,
  giveWeight,
  openForEach,
  ringPoints,
  saved,
  until,
} from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { takeEditsFile, writeEditsFile } from './editsFile.ts';
import { meaningOf, stateWords } from './saveWords.ts';

/** What a browser has for small things. */
const small = new Map<string, string>();
Object.assign(globalThis, {
  localStorage: {
    getItem: (key: string) => small.get(key) ?? null,
    setItem: (key: string, value: string) => small.set(key, value),
  },
});

/** As edits would come from another browser: under ids that nobody here has seen. */
const fromElsewhere = (text: string): string =>
  text.replace(
    /"id":"([0-9a-f-]{35})([0-9a-f])"/g,
    (_, id: string, last: string) => `"id":"${id}${last === '0' ? '1' : '0'}"`,
  );

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened));

const armAt = (point: number): number => weightOf(at.document.parts[BODY].rows, point, ARM_L);

/** Two strokes that are kept here, as the server is away. */
async function workOffline(): Promise<void> {
  server.isAway = true;
  await at.document.perform('one', { weights: giveWeight(at, ringPoints(12), ARM_L, 0.5) });
  await at.document.perform('two', { weights: giveWeight(at, ringPoints(13), ARM_L, 0.25) });
  await until('they are kept', () => at.document.saveState.kind === 'offline');
  await Promise.all(at.document.log.queue.pending.map(({ stored }) => stored));
}

test('what is kept goes into a file, and is done again from it, once', async () => {
  await workOffline();
  const file = await writeEditsFile(at.document);
  expect(file?.name).toBe('Somebody, kept edits.json');
  const text = new TextDecoder().decode(file?.bytes);
  // Taken in where they are already, they change nothing; nor when they were undone on purpose.
  expect(await takeEditsFile(at.document, text)).toBe(0);
  while (at.document.history.done) await at.document.undo();
  expect(await takeEditsFile(at.document, text)).toBe(0);
  server.isAway = false;
  await saved(at);
  const elsewhere = fromElsewhere(text);
  for (const point of ringPoints(12)) expect(armAt(point)).not.toBeCloseTo(0.5, 6);
  expect(await takeEditsFile(at.document, elsewhere)).toBe(2);
  for (const point of ringPoints(12)) expect(armAt(point)).toBeCloseTo(0.5, 6);
  expect(doneLabels(at)).toEqual(['one', 'two']);
  expect(await takeEditsFile(at.document, elsewhere)).toBe(0);
  await saved(at);
});

test('with nothing kept there is no file', async () => {
  expect(await writeEditsFile(at.document)).toBeUndefined();
});

test.each([
  ['no file', 'text'],
  ['another file', '{"format":"other"}'],
  ['half of one', '{"format":"judoka-edits","version":1,"character":{"id":"x","name":"y"},"edits":['],
])('%s is refused', async (_what, text) => {
  await expect(takeEditsFile(at.document, text)).rejects.toThrow(/no file of kept edits/);
  expect(at.document.history.done).toBeUndefined();
});

test('edits of a character with other parts are refused, none of them done', async () => {
  await workOffline();
  const file = await writeEditsFile(at.document);
  const value = JSON.parse(new TextDecoder().decode(file?.bytes)) as { character: { name: string } };
  value.character.name = 'Another';
  const bare = {
    id: at.document.id,
    name: 'x',
    parts: [],
    history: at.document.history,
    rebase: () => Promise.reject(new Error('done')),
    perform: () => Promise.reject(new Error('done')),
  } as unknown as typeof at.document;
  await expect(takeEditsFile(bare, fromElsewhere(JSON.stringify(value)))).rejects.toThrow(
    /belong to “Another”, whose parts are other ones/,
  );
  server.isAway = false;
  await saved(at);
});

test('a copy of what is saved is kept at rest, and is what the server has', async () => {
  const kept: { head: number }[] = [];
  const keeper = new CopyKeeper(at.document, {
    keepCopy: (header) => {
      kept.push(header);
      return Promise.resolve();
    },
  });
  await at.document.perform('one', { weights: giveWeight(at, ringPoints(12), ARM_L, 0.5) });
  await saved(at);
  await until('it is kept', () => kept.length > 0);
  keeper.close();
  const header = at.document.header();
  expect(header).toEqual({ ...server.header(), arrival: [] });
  expect(kept.at(-1)?.head).toBe(1);
});

test('copies are listed, the latest first; without its file none opens', async () => {
  const { keepCopy } = await import('../../document/copies/copyStore.ts');
  await keepCopy(at.document.header(), new Uint8Array(4));
  await keepSource(at.document.id, new Uint8Array(4));
  expect((await listCopies()).map(({ character }) => character)).toContain(at.document.id);
  // There is no store for files here, as on a page that came over plain HTTP.
  expect(await findCopy(at.document.id)).toBeUndefined();
});

test('each state has words of its own, and what it means', () => {
  const kinds = [
    'offline',
    'databaseAway',
    'diskFull',
    'readOnly',
    'signedOut',
    'notAllowed',
    'serverFailed',
  ] as const;
  const states = kinds.map((kind) => ({ kind, count: 3, message: '' }));
  expect(states.map(stateWords)).toEqual([
    'Offline: 3 edits kept here',
    'Database away: 3 edits kept here',
    'Disk full: 3 edits kept here',
    'Read only: 3 edits kept here',
    'Signed out: 3 edits kept here',
    'Not allowed: 3 edits kept here',
    'Server trouble: 3 edits kept here',
  ]);
  expect(stateWords({ kind: 'saving', count: 1 })).toBe('Saving 1 edit');
  expect(new Set(states.map(meaningOf)).size).toBe(kinds.length);
});
