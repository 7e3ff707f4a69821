import { afterEach, beforeEach } from '@jest/globals';

/** A browser's storage, empty before every test of a file. @returns what it holds */
export function simulateStorage(): ReadonlyMap<string, string> & Pick<Map<string, string>, 'set'> {
  const held = new Map<string, string>();
  beforeEach(() => {
    held.clear();
    Object.assign(globalThis, {
      localStorage: {
        getItem: (key: string) => held.get(key) ?? null,
        setItem: (key: string, text: string) => held.set(key, text),
      },
    });
  });
  afterEach(() => void Reflect.deleteProperty(globalThis, 'localStorage'));
  return held;
}
