import 'fake-indexeddb/auto';
import { afterEach, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { decodeChange, unpackFrame, type EditsHeader } from '@judoka/contract';
import { type Change, createRows, DeltaBuilder } from '@judoka/core/weights';
import { randomUUID } from 'node:crypto';
import type * as OutboxModule from './outbox.ts';
import type * as StoreModule from './outboxStore.ts';
import type * as EditStoreModule from './editStore.ts';
import type * as MailModule from './mail.ts';
import type { MailService } from './mailWorker.ts';

let Outbox: typeof OutboxModule.Outbox;
let store: typeof StoreModule & typeof EditStoreModule;
let mail: MailModule.Mail;
/** What the mail was asked for. */
let mailed: string[] = [];

const CHARACTER = randomUUID();
/** What the simulated server was sent, and how it answers: a head, a refusal, or no answer at all. */
let sent: { header: EditsHeader; blobs: readonly Uint8Array[] }[] = [];
let answer: () => { status: number; body: unknown } | 'nothing';
let serverHead = 0;

beforeAll(async () => {
  const locks = new Set<string>();
  Object.assign(globalThis, {
    addEventListener: () => undefined,
    removeEventListener: () => undefined,
    fetch: (path: string, init: { body?: Uint8Array }) => {
      if (path === '/api/session') return Promise.resolve(new Response('{}', { status: 200 }));
      const frame = unpackFrame(init.body ?? new Uint8Array(0));
      const now = answer();
      if (now === 'nothing') return Promise.reject(new TypeError('no network'));
      sent.push({ header: frame.header as EditsHeader, blobs: frame.blobs });
      return Promise.resolve(new Response(JSON.stringify(now.body), { status: now.status }));
    },
  });
  // Node 20 has no navigator of its own.
  Object.defineProperty(globalThis, 'navigator', {
    configurable: true,
    value: {
      locks: {
        request: (name: string) => new Promise(() => locks.add(name)),
        query: () => Promise.resolve({ held: [...locks].map((name) => ({ name })) }),
      },
    },
  });
  ({ Outbox } = await import('./outbox.ts'));
  store = { ...(await import('./outboxStore.ts')), ...(await import('./editStore.ts')) };
  mail = new (await import('./mail.ts')).Mail();
});

const accept = (): ReturnType<typeof answer> => {
  return { status: 200, body: { head: (serverHead += 1) } };
};

function change(point: number): Change {
  const rows = createRows(1, 8);
  rows.joints[0] = 3;
  rows.values[0] = 1;
  const builder = new DeltaBuilder(0, 8, 1);
  builder.push(point, createRows(1, 8), 0, rows, 0);
  return [builder.finish()];
}

const edit = (label: string, point = 0) => ({
  id: randomUUID(),
  kind: 'edit' as const,
  label,
  change: change(point),
  joints: [],
});

/** The mail without a thread of its own. */
const service: MailService = {
  keep: (one) => {
    mailed.push(`keep ${one.label}`);
    return mail.keep(one);
  },
  send: (path, header, blobs) => {
    mailed.push(`send ${header.entries.map(({ label }) => label).join(', ')}`);
    return mail.send(path, header, blobs);
  },
  forget: (ids) => {
    mailed.push(`forget ${ids.length}`);
    return Promise.resolve(mail.forget(ids));
  },
};

/** Every point of 25,000 given to one joint. */
function wholeChange(): Change {
  const count = 25_000;
  const after = createRows(count, 8);
  for (let p = 0; p < count; p++) {
    after.joints[p * 8] = 3;
    after.values[p * 8] = 1;
  }
  const points = Uint32Array.from({ length: count }, (_, p) => p);
  return [{ part: 0, points, before: createRows(count, 8), after }];
}

let outbox: OutboxModule.Outbox;
let clashes = 0;
/** Resolves when the outbox's state is of this kind. */
let until: (kind: string) => Promise<void>;

beforeEach(() => {
  sent = [];
  serverHead = 0;
  clashes = 0;
  mailed = [];
  answer = accept;
  const waiting: { kind: string; resolve: () => void }[] = [];
  const tell = (): void => {
    for (const each of waiting.filter(({ kind }) => kind === outbox.state.kind)) each.resolve();
  };
  outbox = new Outbox(
    CHARACTER,
    0,
    tell,
    () => {
      clashes++;
      const again = outbox.pending.map(({ id, kind, label, change: made, joints }) => ({
        id,
        kind,
        label,
        change: made,
        joints,
      }));
      return outbox.replace(7, again);
    },
    service,
  );
  until = (kind) =>
    outbox.state.kind === kind
      ? Promise.resolve()
      : new Promise((resolve) => waiting.push({ kind, resolve }));
});
afterEach(() => outbox.close());

const keptOrders = async (): Promise<string[]> => {
  const request = indexedDB.open('judoka');
  const db = await new Promise<IDBDatabase>((resolve) => (request.onsuccess = () => resolve(request.result)));
  const all = db.transaction('edits').objectStore('edits').getAll();
  const edits = await new Promise<{ label: string }[]>(
    (resolve) => (all.onsuccess = () => resolve(all.result as { label: string }[])),
  );
  db.close();
  return edits.map(({ label }) => label);
};

describe('the outbox', () => {
  test('sends in order on the head it knows, and keeps nothing once it is confirmed', async () => {
    outbox.push(edit('first', 4));
    outbox.push(edit('second', 5));
    expect(outbox.state).toEqual({ kind: 'saving', count: 2 });
    await until('saved');
    const entries = sent.flatMap(({ header }) => header.entries.map(({ label }) => label));
    expect(entries).toEqual(['first', 'second']);
    expect(sent.map(({ header }) => header.base)).toEqual(sent.map((_, i) => i));
    expect(decodeChange(sent[0].blobs[0])[0].points[0]).toBe(4);
    expect(await keptOrders()).toEqual([]);
  });

  test('an undo is sent without data of its own', async () => {
    outbox.push({
      id: randomUUID(),
      kind: 'undo',
      label: 'x',
      target: randomUUID(),
      change: change(1),
      joints: [],
    });
    await until('saved');
    expect(sent[0].blobs).toHaveLength(0);
    expect(sent[0].header.entries[0].kind).toBe('undo');
  });

  test('while the server is away edits are kept here and counted, and sent when it is back', async () => {
    answer = () => 'nothing';
    outbox.push(edit('one'));
    await until('offline');
    outbox.push(edit('two'));
    expect(outbox.state).toEqual({ kind: 'offline', count: 2 });
    await Promise.all(outbox.pending.map(({ kept }) => kept));
    expect(await keptOrders()).toEqual(['one', 'two']);
    answer = accept;
    await until('saved');
    expect(await keptOrders()).toEqual([]);
  });

  test('a clash is handed on, and the edits go out again on the new head', async () => {
    answer = () => {
      answer = accept;
      return {
        status: 409,
        body: { error: { code: 'edit-clash', message: 'Changed elsewhere.', detail: { head: 7 } } },
      };
    };
    outbox.push(edit('mine'));
    await until('saved');
    expect(clashes).toBe(1);
    expect(sent.map(({ header }) => header.base)).toEqual([0, 7]);
  });

  test('a stroke that ends while a clash is being settled is sent too', async () => {
    answer = () => {
      answer = accept;
      serverHead = 7;
      // The person goes on painting while the others' edits are taken in.
      queueMicrotask(() => outbox.push(edit('meanwhile')));
      return { status: 409, body: { error: { code: 'edit-clash', message: 'x', detail: {} } } };
    };
    outbox.push(edit('mine'));
    await until('saved');
    const labels = sent.slice(1).flatMap(({ header }) => header.entries.map(({ label }) => label));
    expect(labels).toEqual(['mine', 'meanwhile']);
  });

  test('an edit of very many points goes by the mail, in its place among the others', async () => {
    outbox.push(edit('before'));
    outbox.push({ ...edit('whole'), change: wholeChange() });
    outbox.push(edit('after'));
    await until('saved');
    const labels = sent.flatMap(({ header }) => header.entries.map(({ label }) => label));
    expect(labels).toEqual(['before', 'whole', 'after']);
    const at = sent.find(({ header }) => header.entries.some(({ label }) => label === 'whole'));
    const whole = at?.blobs[at.header.entries.findIndex(({ label }) => label === 'whole')];
    expect(decodeChange(whole ?? new Uint8Array(0))).toEqual(wholeChange());
    expect(mailed.filter((what) => !what.startsWith('send'))).toEqual(['keep whole', 'forget 1']);
    expect(await keptOrders()).toEqual([]);
  });

  test('while the server is away the mail holds it, and a clash puts it on the new head', async () => {
    answer = () => 'nothing';
    outbox.push({ ...edit('whole'), change: wholeChange() });
    await until('offline');
    expect(await keptOrders()).toEqual(['whole']);
    answer = () => {
      answer = accept;
      return { status: 409, body: { error: { code: 'edit-clash', message: 'x', detail: {} } } };
    };
    await until('saved');
    expect(clashes).toBe(1);
    expect(sent.map(({ header }) => header.base)).toEqual([0, 7]);
    expect(decodeChange(sent[1].blobs[0])).toEqual(wholeChange());
    expect(await keptOrders()).toEqual([]);
  });

  test('a refusal by way of the mail keeps its code and its sentence', async () => {
    answer = () => ({
      status: 400,
      body: { error: { code: 'delta-invalid', message: 'It is damaged.', detail: {} } },
    });
    outbox.push({ ...edit('bad whole'), change: wholeChange() });
    await until('failed');
    expect(outbox.state).toEqual({ kind: 'failed', count: 1, message: 'It is damaged.' });
    const { free } = await store.findLeftEdits(CHARACTER, new Set());
    expect(free.map(({ label }) => label)).toEqual(['bad whole']);
    await store.dropEdits(free.map(({ order }) => order));
  });

  test('what an earlier visit of this very tab left is found, what is being sent is not', async () => {
    answer = () => 'nothing';
    const own = edit('being sent');
    outbox.push(own);
    await until('offline');
    const left = await store.findLeftEdits(CHARACTER, new Set([own.id]));
    expect(left.free).toEqual([]);
    expect((await store.findLeftEdits(CHARACTER, new Set())).free.map(({ label }) => label)).toEqual([
      'being sent',
    ]);
    answer = accept;
    await until('saved');
  });

  test('a refusal that trying again cannot mend is told, and nothing is dropped', async () => {
    answer = () => ({
      status: 400,
      body: { error: { code: 'delta-invalid', message: 'It is damaged.', detail: {} } },
    });
    outbox.push(edit('bad'));
    await until('failed');
    expect(outbox.state).toEqual({ kind: 'failed', count: 1, message: 'It is damaged.' });
    expect(await keptOrders()).toEqual(['bad']);
  });

  test('what another tab left is found once that tab is gone', async () => {
    const left = {
      character: CHARACTER,
      tab: 'a tab that died',
      id: randomUUID(),
      kind: 'edit' as const,
      label: 'left',
      change: new Uint8Array(4),
    };
    await store.keepEdit(left);
    const { free, tabs } = await store.findLeftEdits(CHARACTER, new Set());
    expect(free.map(({ label }) => label)).toContain('left');
    expect(tabs).toEqual([]);
    await store.dropEdits(free.map(({ order }) => order));
    expect((await store.findLeftEdits(CHARACTER, new Set())).free).toEqual([]);
  });
});
