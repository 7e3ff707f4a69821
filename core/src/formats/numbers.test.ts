import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { CoreError } from '../errors.ts';
import { numbersOf, wholeNumbersOf } from './numbers.ts';

test('every way of writing a number gives the double that is nearest to it', () => {
  const written = fc.oneof(
    fc.double({ noNaN: true, noDefaultInfinity: true }).map(String),
    fc.float({ noNaN: true, noDefaultInfinity: true }).map((x) => x.toPrecision(9)),
    fc.integer().map((x) => (x / 1e7).toFixed(7)),
    fc.double({ min: -1, max: 1, noNaN: true }).map((x) => x.toFixed(16)),
  );
  fc.assert(
    fc.property(fc.array(written, { minLength: 1, maxLength: 20 }), (words) => {
      const read = numbersOf(`\n ${words.join(' \t')}\r\n`, () => 'here');
      expect([...read]).toEqual(words.map(Number));
    }),
  );
});

test('forms that programs write: a plus, a point first or last, a comma, exponents', () => {
  expect([...numbersOf('+1.5 .5 -.25 2. 1,5 1e3 1.5E-2', () => 'here')]).toEqual([
    1.5, 0.5, -0.25, 2, 1.5, 1000, 0.015,
  ]);
  expect([...wholeNumbersOf(' 1 -2\n+3 ', () => 'here')]).toEqual([1, -2, 3]);
  expect([...numbersOf('', () => 'here')]).toEqual([]);
});

test.each(['nan', '1.2.3', '--1', 'INF', '1e999', '0x10', '1_000'])('%s is no number', (word) => {
  expect(() => numbersOf(`1 ${word} 2`, () => 'there')).toThrow(CoreError);
});

test.each(['1.5', '-', '99999999999', 'x'])('%s is no whole number', (word) => {
  expect(() => wholeNumbersOf(`1 ${word} 2`, () => 'there')).toThrow(/is no whole number \(there\)/);
});
