import { expect, test } from '@jest/globals';
import { hashPassword, isPassword } from './passwords.ts';

test('only the password fits what it was hashed to, which is another each time', async () => {
  const [hash, again] = [await hashPassword('four old lanterns'), await hashPassword('four old lanterns')];
  expect(hash).toMatch(/^\$argon2id\$/);
  expect(hash).not.toBe(again);
  expect(await isPassword(hash, 'four old lanterns')).toBe(true);
  expect(await isPassword(hash, 'four old lantern')).toBe(false);
  expect(await isPassword(hash, '')).toBe(false);
});

test('the same letters typed in another way are the same password', async () => {
  const hash = await hashPassword('caf\u00e9 at the pier');
  expect(await isPassword(hash, 'cafe\u0301 at the pier')).toBe(true);
});

test('nobody’s password fits nothing, not even the one that stands in for it', async () => {
  for (const stored of [null, undefined]) expect(await isPassword(stored, 'nobody has this one')).toBe(false);
});
