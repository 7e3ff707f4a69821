import { expect, test } from '@jest/globals';
import { amountWords, draggedAmount, readAmount } from './influenceAmounts.ts';

test('what is typed is a weight, a shift or a percentage, and else refused in a sentence', () => {
  expect(readAmount('set', ' 0,5 ')).toEqual({ kind: 'set', to: 0.5 });
  expect(readAmount('shift', '−0.1')).toEqual({ kind: 'shift', by: -0.1 });
  expect(readAmount('shift', '+0.1')).toEqual({ kind: 'shift', by: 0.1 });
  expect(readAmount('scale', '80%')).toEqual({ kind: 'scale', by: 0.8 });
  expect(readAmount('set', '1.5')).toMatch(/from 0 to 1/);
  expect(readAmount('set', 'half')).toMatch(/from 0 to 1/);
  expect(readAmount('shift', '2')).toMatch(/−1 to 1/);
  expect(readAmount('scale', '-5')).toMatch(/percentage/);
});

test('a drag sets where it ends, or shifts and scales by how far it goes, within bounds', () => {
  expect(draggedAmount('set', 0.1, 0.7)).toEqual({ kind: 'set', to: 0.7 });
  expect(draggedAmount('set', 0.1, 3)).toEqual({ kind: 'set', to: 1 });
  expect(draggedAmount('shift', 0.5, 0.25)).toEqual({ kind: 'shift', by: -0.25 });
  expect(draggedAmount('scale', 0.5, 0.75)).toEqual({ kind: 'scale', by: 1.25 });
  expect(draggedAmount('scale', 0.5, -4)).toEqual({ kind: 'scale', by: 0 });
});

test('amounts are written with their unit and sign', () => {
  expect([amountWords('set', 0.5), amountWords('shift', 0.1), amountWords('shift', -0.1)]).toEqual([
    '0.500',
    '+0.100',
    '−0.100',
  ]);
  expect(amountWords('scale', 0.8)).toBe('80%');
});
