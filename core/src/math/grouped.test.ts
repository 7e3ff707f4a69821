import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { grouped } from './grouped.ts';

test('numbers are grouped as the language does it', () => {
  fc.assert(
    fc.property(fc.integer({ min: -1e12, max: 1e12 }), (n) => {
      expect(grouped(n)).toBe(n.toLocaleString('en'));
    }),
  );
  expect([0, 999, 1000, 1234567].map(grouped)).toEqual(['0', '999', '1,000', '1,234,567']);
});
