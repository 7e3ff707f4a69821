import { expect, test } from '@jest/globals';
import { placeToGo } from './doors.ts';
import { roleMay, roleWords } from './roles.ts';

test.each([
  ['/characters/1/paint', '/characters/1/paint'],
  ['/?shelf=1', '/?shelf=1'],
  [null, '/'],
  ['', '/'],
  ['https://evil.example', '/'],
  ['//evil.example', '/'],
  ['/\\evil.example', '/'],
  ['javascript:alert(1)', '/'],
])('after signing in, %s leads to %s', (wanted, place) => {
  expect(placeToGo(wanted)).toBe(place);
});

test('each role says what it may do', () => {
  expect(roleWords('painter')).toBe('Painter');
  expect(roleMay('guest')).toMatch(/never changes/);
});
