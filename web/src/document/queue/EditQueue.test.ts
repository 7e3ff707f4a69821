import 'fake-indexeddb/auto';
import { afterEach, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { decodeWeights, MAX_PIECE_BYTES, unpackFrame, type EditsHeader } from '@judoka/contract';
import { type Change, createRows, DeltaBuilder } from '@judoka/core/weights';
import { randomUUID } from 'node:crypto';
import type * as QueueModule from './EditQueue.ts';
import type * as TabsModule from '../readers/tabs.ts';
import type * as EditStoreModule from './editStore.ts';
import type * as UploaderModule from './BulkUploader.ts';
import type { UploadService } from './uploaderThread.ts';

let EditQueue: typeof QueueModule.EditQueue;
let store: typeof TabsModule & typeof EditStoreModule;
let uploader: UploaderModule.BulkUploader;
/** What the uploader was asked for. */
let uploaded: string[] = [];

const CHARACTER = randomUUID();
/** What the simulated server was sent, and how it answers: a head, a refusal, or no answer at all. */
let sent: { header: EditsHeader; blobs: readonly Uint8Array[] }[] = [];
let answer: () => { status: number; body: unknown } | 'nothing';
let serverHead = 0;
/** Sizes of pieces that came; and whether an answer looks at what it is for. */
let pieces: number[] = [];
let judged = false;

beforeAll(async () => {
  const locks = new Set<string>();
  Object.assign(globalThis, {
    addEventListener: () => undefined,
    removeEventListener: () => undefined,
    fetch: (path: string, init: { body?: Uint8Array }) => {
      if (path.includes('/pieces/')) {
        if (answer !== accept) return Promise.reject(new TypeError('no network'));
        pieces.push(init.body?.length ?? 0);
        return Promise.resolve(new Response(null, { status: 204 }));
      }
      const frame = unpackFrame(init.body ?? new Uint8Array(0));
      if (judged) sent.push({ header: frame.header as EditsHeader, blobs: frame.blobs });
      const now = answer();
      if (now === 'nothing') return Promise.reject(new TypeError('no network'));
      if (!judged) sent.push({ header: frame.header as EditsHeader, blobs: frame.blobs });
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
  ({ EditQueue } = await import('./EditQueue.ts'));
  store = { ...(await import('../readers/tabs.ts')), ...(await import('./editStore.ts')) };
  uploader = new (await import('./BulkUploader.ts')).BulkUploader();
});

const accept = (): ReturnType<typeof answer> => {
  return { status: 200, body: { head: (serverHead += 1) } };
};

/** Refuses the request once, for the edit of this label. */
const refuse = (label: string) => (): ReturnType<typeof answer> => {
  answer = accept;
  const edit = queue.pending.find((one) => one.label === label)?.id ?? '';
  return {
    status: 422,
    body: { error: { code: 'edit-refused', message: 'It is damaged.', detail: { edit } } },
  };
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
  weights: change(point),
  joints: [],
  values: [],
});

/** The uploader without a thread of its own. */
const service: UploadService = {
  keep: (one) => {
    uploaded.push(`keep ${one.label}`);
    return uploader.keep(one);
  },
  post: (character, base, edits) => {
    uploaded.push(`send ${edits.map(({ label }) => label).join(', ')}`);
    return uploader.post(character, base, edits);
  },
  keepCopy: (header, rows) => uploader.keepCopy(header, rows),
  forget: (ids) => {
    uploaded.push(`forget ${ids.length}`);
    uploader.forget(ids);
    return Promise.resolve();
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

let queue: QueueModule.EditQueue;
let clashes = 0;
let refused: string[] = [];
/** Resolves when the queue of edits's state is of this kind. */
let until: (kind: string) => Promise<void>;

beforeEach(() => {
  sent = [];
  serverHead = 0;
  clashes = 0;
  refused = [];
  pieces = [];
  uploaded = [];
  answer = accept;
  const waiting: { kind: string; resolve: () => void }[] = [];
  const tell = (): void => {
    for (const each of waiting.filter(({ kind }) => kind === queue.state.kind)) each.resolve();
  };
  const again = (edits: readonly QueueModule.PendingEdit[]) =>
    edits.map(({ id, kind, label, weights, joints, values }) => ({
      id,
      kind,
      label,
      weights,
      joints,
      values,
    }));
  queue = new EditQueue(
    CHARACTER,
    0,
    {
      stateChanged: tell,
      clashed: () => {
        clashes++;
        return queue.replace(7, again(queue.pending));
      },
      refused: async (edit, reason) => {
        refused.push(`${edit.label}: ${reason}`);
        await queue.setAside(edit, reason);
        await queue.replace(queue.head, again(queue.pending.filter((one) => one !== edit)));
      },
    },
    service,
  );
  until = (kind) =>
    queue.state.kind === kind ? Promise.resolve() : new Promise((resolve) => waiting.push({ kind, resolve }));
});
afterEach(() => queue.close());

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

describe('the queue of edits', () => {
  test('sends in order on the head it knows, and keeps nothing once it is confirmed', async () => {
    queue.push(edit('first', 4));
    queue.push(edit('second', 5));
    expect(queue.state).toEqual({ kind: 'saving', count: 2 });
    await until('saved');
    const entries = sent.flatMap(({ header }) => header.entries.map(({ label }) => label));
    expect(entries).toEqual(['first', 'second']);
    expect(sent.map(({ header }) => header.base)).toEqual(sent.map((_, i) => i));
    expect(decodeWeights(sent[0].blobs[0])[0].points[0]).toBe(4);
    expect(await keptOrders()).toEqual([]);
  });

  test('an undo is sent without data of its own', async () => {
    queue.push({
      id: randomUUID(),
      kind: 'undo',
      label: 'x',
      target: randomUUID(),
      weights: change(1),
      joints: [],
      values: [],
    });
    await until('saved');
    expect(sent[0].blobs).toHaveLength(0);
    expect(sent[0].header.entries[0].kind).toBe('undo');
  });

  test('while the server is away edits are kept here and counted, and sent when it is back', async () => {
    answer = () => 'nothing';
    queue.push(edit('one'));
    await until('offline');
    queue.push(edit('two'));
    expect(queue.state).toMatchObject({ kind: 'offline', count: 2 });
    await Promise.all(queue.pending.map(({ stored }) => stored));
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
    queue.push(edit('mine'));
    await until('saved');
    expect(clashes).toBe(1);
    expect(sent.map(({ header }) => header.base)).toEqual([0, 7]);
  });

  test('a stroke that ends while a clash is being settled is sent too', async () => {
    answer = () => {
      answer = accept;
      serverHead = 7;
      // The person goes on painting while the others' edits are taken in.
      queueMicrotask(() => queue.push(edit('meanwhile')));
      return { status: 409, body: { error: { code: 'edit-clash', message: 'x', detail: {} } } };
    };
    queue.push(edit('mine'));
    await until('saved');
    const labels = sent.slice(1).flatMap(({ header }) => header.entries.map(({ label }) => label));
    expect(labels).toEqual(['mine', 'meanwhile']);
  });

  test('an edit of very many points goes by the uploader, in its place among the others', async () => {
    queue.push(edit('before'));
    queue.push({ ...edit('whole'), weights: wholeChange() });
    queue.push(edit('after'));
    await until('saved');
    const labels = sent.flatMap(({ header }) => header.entries.map(({ label }) => label));
    expect(labels).toEqual(['before', 'whole', 'after']);
    const at = sent.find(({ header }) => header.entries.some(({ label }) => label === 'whole'));
    const place = at?.header.entries.find(({ label }) => label === 'whole')?.weights;
    const whole = at?.blobs[place && 'blob' in place ? place.blob : -1];
    expect(decodeWeights(whole ?? new Uint8Array(0))).toEqual(wholeChange());
    expect(uploaded.filter((what) => !what.startsWith('send'))).toEqual(['keep whole', 'forget 1']);
    expect(await keptOrders()).toEqual([]);
  });

  test('while the server is away the uploader holds it, and a clash puts it on the new head', async () => {
    answer = () => 'nothing';
    queue.push({ ...edit('whole'), weights: wholeChange() });
    await until('offline');
    expect(await keptOrders()).toEqual(['whole']);
    answer = () => {
      answer = accept;
      return { status: 409, body: { error: { code: 'edit-clash', message: 'x', detail: {} } } };
    };
    await until('saved');
    expect(clashes).toBe(1);
    expect(sent.map(({ header }) => header.base)).toEqual([0, 7]);
    expect(decodeWeights(sent[1].blobs[0])).toEqual(wholeChange());
    expect(await keptOrders()).toEqual([]);
  });

  test('a refusal by way of the uploader keeps its code and its sentence', async () => {
    answer = refuse('bad whole');
    queue.push({ ...edit('bad whole'), weights: wholeChange() });
    await until('saved');
    expect(refused).toEqual(['bad whole: It is damaged.']);
    expect(await keptOrders()).toEqual([]);
    const [kept] = await store.refusedOfCharacter(CHARACTER);
    expect(kept).toMatchObject({ label: 'bad whole', reason: 'It is damaged.' });
    expect(decodeWeights(kept.change)).toEqual(wholeChange());
    await store.dropRefused(kept.id);
  });

  test('what an earlier visit of this very tab left is found, what is being sent is not', async () => {
    answer = () => 'nothing';
    const own = edit('being sent');
    queue.push(own);
    await until('offline');
    const left = await store.findLeftEdits(CHARACTER, new Set([own.id]));
    expect(left.free).toEqual([]);
    expect((await store.findLeftEdits(CHARACTER, new Set())).free.map(({ label }) => label)).toEqual([
      'being sent',
    ]);
    answer = accept;
    await until('saved');
  });

  test('a refused edit is set aside, and those behind it go on', async () => {
    answer = refuse('bad');
    queue.push(edit('bad'));
    queue.push(edit('good'));
    await until('saved');
    expect(refused).toEqual(['bad: It is damaged.']);
    expect(sent.at(-1)?.header.entries.map(({ label }) => label)).toEqual(['good']);
    const [kept] = await store.refusedOfCharacter(CHARACTER);
    expect(kept.label).toBe('bad');
    await store.dropRefused(kept.id);
  });

  test('of a request that is refused as a whole, edits go one by one until the bad one is found', async () => {
    answer = () =>
      sent.at(-1)?.header.entries.some(({ label }) => label === 'bad')
        ? { status: 400, body: { error: { code: 'delta-invalid', message: 'No.', detail: {} } } }
        : accept();
    const settled = answer;
    answer = () => 'nothing';
    for (const label of ['one', 'bad', 'two']) queue.push(edit(label));
    await until('offline');
    answer = settled;
    judged = true;
    await until('saved');
    judged = false;
    expect(refused).toEqual(['bad: No.']);
    expect(sent.at(-1)?.header.entries.map(({ label }) => label)).toEqual(['two']);
    for (const { id } of await store.refusedOfCharacter(CHARACTER)) await store.dropRefused(id);
  });

  test('batches are cut by bytes, and what is larger than a piece goes in pieces', async () => {
    const many = 400_000;
    const after = createRows(many, 8);
    after.joints.fill(3);
    for (let p = 0; p < many; p++) after.values.fill(0.125, p * 8, p * 8 + 8);
    for (let p = 0; p < many; p++) for (let k = 0; k < 8; k++) after.joints[p * 8 + k] = k;
    const points = Uint32Array.from({ length: many }, (_, p) => p);
    answer = () => 'nothing';
    queue.push({
      ...edit('huge'),
      weights: [{ part: 0, points, before: createRows(many, 8), after }],
    });
    queue.push(edit('small'));
    await until('offline');
    answer = accept;
    await until('saved');
    expect(pieces.length).toBeGreaterThan(2);
    expect(pieces.every((size) => size <= MAX_PIECE_BYTES)).toBe(true);
    expect(sent.map(({ header }) => header.entries.map(({ label }) => label))).toEqual([['huge'], ['small']]);
    expect(sent[0].header.entries[0].weights).toEqual({ pieces: pieces.length });
  });

  test('an edit that may still grow is sent once, as it ended', async () => {
    const one = edit('a drag');
    queue.push(one, 40);
    expect(queue.canGrow(one.id)).toBe(true);
    queue.grow({ ...one, label: 'a longer drag', weights: change(9) }, 40);
    await until('saved');
    expect(sent.flatMap(({ header }) => header.entries.map(({ label }) => label))).toEqual(['a longer drag']);
    expect(decodeWeights(sent[0].blobs[0])[0].points[0]).toBe(9);
    expect(await keptOrders()).toEqual([]);
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
