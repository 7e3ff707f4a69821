import { expect, test } from '@jest/globals';
import type { CharacterCard } from '@judoka/contract';
import { sortCards, troublesOf } from './sortCards.ts';

const card = (name: string, points: number, touchedAt: string, troubles: string[] = []): CharacterCard => ({
  ...{ id: name, name, points, touchedAt, troubles },
  ...{ shelf: 's', role: 'owner', parts: 1, joints: 1, arrival: [], findings: null, isChecked: true },
});
const CARDS = [
  card('Ferry 10', 5, '2026-11-03', ['a']),
  card('ferry 9', 7, '2026-11-01', ['a', 'b']),
  card('Owl', 6, '2026-11-02'),
];
const names = (wanted: string, order: Parameters<typeof sortCards>[2]): string[] =>
  sortCards(CARDS, wanted, order).map(({ name }) => name);

test.each([
  ['touched', ['Ferry 10', 'Owl', 'ferry 9']],
  ['name', ['ferry 9', 'Ferry 10', 'Owl']],
  ['trouble', ['ferry 9', 'Ferry 10', 'Owl']],
  ['points', ['ferry 9', 'Owl', 'Ferry 10']],
] as const)('by %s', (order, sorted) => {
  expect(names('', order)).toEqual(sorted);
});

test('what was looked over stands for what was known before', () => {
  const known = card('Owl', 1, '2026-11-02', ['a', 'b']);
  expect(troublesOf(known)).toEqual(['a', 'b']);
  expect(troublesOf({ ...known, findings: ['c'] })).toEqual(['c']);
  expect(troublesOf({ ...known, findings: [] })).toEqual([]);
});

test('all words of a search are in the name, in any order and case', () => {
  expect(names(' 10 FERRY ', 'name')).toEqual(['Ferry 10']);
  expect(names('owl ferry', 'name')).toEqual([]);
});
