import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { radixSort } from './radixSort.ts';

test('keys rise, and equal ones stay as they stand', () => {
  fc.assert(
    fc.property(fc.array(fc.oneof(fc.nat(5), fc.nat(2 ** 30 - 1))), (keys) => {
      const stable = [...keys.keys()].sort((a, b) => keys[a] - keys[b] || a - b);
      expect([...radixSort(Uint32Array.from(keys), 30)]).toEqual(stable);
    }),
  );
});

test('only the bits that count are looked at; with none of them the order stays', () => {
  const keys = Uint32Array.of(2 ** 22 + 1, 3, 2);
  expect([...radixSort(keys, 22)]).toEqual([0, 2, 1]);
  expect([...radixSort(keys, 0)]).toEqual([0, 1, 2]);
});
