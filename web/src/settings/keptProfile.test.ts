import { expect, test } from '@jest/globals';
import { simulateStorage } from '../testing/simulateStorage.ts';
import { DEFAULT_PROFILE, PROFILES } from '@judoka/core/document';
import { keepProfile, keptProfile } from './keptProfile.ts';

const held = simulateStorage();

test('each character keeps its own limits, own ones among them', () => {
  const own = { ...PROFILES[0], name: 'Ours', influences: 3 };
  keepProfile('porter', own);
  expect(keptProfile('porter')).toEqual(own);
  expect(keptProfile('keeper')).toEqual(DEFAULT_PROFILE);
});

test.each(['not json', '{}', '{"name":"x","influences":-4}'])('%s is no profile: the usual one', (text) => {
  keepProfile('porter', PROFILES[0]);
  for (const key of held.keys()) held.set(key, text);
  expect(keptProfile('porter')).toEqual(DEFAULT_PROFILE);
});

test('a browser that refuses to keep does not stop the work', () => {
  Reflect.deleteProperty(globalThis, 'localStorage');
  expect(() => keepProfile('porter', PROFILES[0])).not.toThrow();
  expect(keptProfile('porter')).toEqual(DEFAULT_PROFILE);
});
