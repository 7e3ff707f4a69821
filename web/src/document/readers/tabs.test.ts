import 'fake-indexeddb/auto';
import { afterEach, describe, expect, test } from '@jest/globals';
import { keepEdit, type StoredEdit } from '../queue/editStore.ts';

/** Locks as a browser holds them, over all its tabs. */
class FakeLocks {
  readonly held = new Map<string, () => void>();
  readonly #waiting = new Map<string, (() => void)[]>();

  request(name: string, options: unknown, work?: () => unknown): Promise<unknown> {
    const done = (work ?? options) as () => unknown;
    if (!this.held.has(name)) return Promise.resolve(done());
    const { signal } = options as { signal?: AbortSignal };
    return new Promise((resolve, reject) => {
      this.#waiting.set(name, [...(this.#waiting.get(name) ?? []), () => resolve(done())]);
      signal?.addEventListener('abort', () => reject(new DOMException('Stopped.', 'AbortError')));
    });
  }

  query(): Promise<{ held: { name: string }[] }> {
    return Promise.resolve({ held: [...this.held.keys()].map((name) => ({ name })) });
  }

  /** Another tab is there. */
  open(tab: string): void {
    this.held.set(`judoka-tab-${tab}`, () => undefined);
  }

  /** It goes, however it went. */
  close(tab: string): void {
    const name = `judoka-tab-${tab}`;
    this.held.delete(name);
    for (const go of this.#waiting.get(name) ?? []) go();
  }
}

// The module takes the browser's locks once, when it is imported.
const locks = new FakeLocks();
Object.defineProperty(globalThis, 'navigator', { configurable: true, value: { locks } });
const { findLeftEdits, hasGone, isTabAlive, THIS_TAB, whenTabGone } = await import('./tabs.ts');
afterEach(() => locks.held.clear());

const edit = (character: string, tab: string, id = crypto.randomUUID()): StoredEdit => ({
  character,
  tab,
  id,
  kind: 'edit',
  label: 'An edit',
  change: new Uint8Array(0),
});

describe('edits that were kept in this browser', () => {
  test('of a tab that has gone are free; those of one that is there are its own', async () => {
    const character = crypto.randomUUID();
    const [gone, alive, mine] = ['gone', 'alive', THIS_TAB].map((tab) => edit(character, tab));
    for (const each of [gone, alive, mine]) await keepEdit(each);
    await keepEdit(edit(crypto.randomUUID(), 'gone'));
    locks.open('alive');
    const found = await findLeftEdits(character, new Set([mine.id]));
    expect(found.free.map(({ id }) => id)).toEqual([gone.id]);
    expect(found.tabs).toEqual(['alive']);
    expect(await isTabAlive('alive')).toBe(true);
    expect(await isTabAlive('gone')).toBe(false);
    locks.close('alive');
    expect((await findLeftEdits(character, new Set([mine.id]))).free).toHaveLength(2);
  });

  test('of an earlier visit of this very tab are free too', async () => {
    const character = crypto.randomUUID();
    const left = edit(character, THIS_TAB);
    await keepEdit(left);
    expect((await findLeftEdits(character, new Set())).free.map(({ id }) => id)).toEqual([left.id]);
  });
});

describe('waiting for a tab', () => {
  test('ends when it has gone', async () => {
    locks.open('alive');
    let isGone = false;
    const gone = whenTabGone('alive', new AbortController().signal).then(() => (isGone = true));
    await Promise.resolve();
    expect(isGone).toBe(false);
    locks.close('alive');
    await gone;
    expect(isGone).toBe(true);
  });

  test('ends at once for one that is not there, and when nobody wants to wait any more', async () => {
    await whenTabGone('gone', new AbortController().signal);
    locks.open('alive');
    const stop = new AbortController();
    const waiting = whenTabGone('alive', stop.signal);
    stop.abort();
    await expect(waiting).rejects.toThrow('Stopped.');
  });

  test('tells whether it went in time: a page that is loaded again does, another tab does not', async () => {
    locks.open('alive');
    const [left, stays] = [new AbortController(), new AbortController()];
    const answers = [hasGone('alive', left.signal), hasGone('alive', stays.signal)];
    stays.abort();
    expect(await answers[1]).toBe(false);
    locks.close('alive');
    expect(await answers[0]).toBe(true);
  });
});
