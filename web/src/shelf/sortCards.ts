import type { CharacterCard } from '@judoka/contract';

/** Of no more than this there is nothing to search. */
export const FEW = 8;

export const ORDERS = [
  { value: 'touched', label: 'Last touched first' },
  { value: 'name', label: 'By name' },
  { value: 'trouble', label: 'Most trouble first' },
  { value: 'points', label: 'Most points first' },
] as const;
export type Order = (typeof ORDERS)[number]['value'];

/** What is wrong with a character, in sentences: all of it once it was looked over. */
export const troublesOf = ({ findings, troubles, arrival }: CharacterCard): readonly string[] =>
  findings ?? [...troubles, ...arrival];

const troubles = (card: CharacterCard): number => troublesOf(card).length;
const byName = (a: CharacterCard, b: CharacterCard): number =>
  a.name.localeCompare(b.name, 'en', { numeric: true, sensitivity: 'base' });
const COMPARE: Readonly<Record<Order, (a: CharacterCard, b: CharacterCard) => number>> = {
  touched: (a, b) => b.touchedAt.localeCompare(a.touchedAt),
  name: byName,
  trouble: (a, b) => troubles(b) - troubles(a) || byName(a, b),
  points: (a, b) => b.points - a.points || byName(a, b),
};

/** Those whose name has all the words that are searched for, in order. */
export function sortCards(cards: readonly CharacterCard[], wanted: string, order: Order): CharacterCard[] {
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  return cards
    .filter(({ name }) => words.every((word) => name.toLowerCase().includes(word)))
    .sort(COMPARE[order]);
}
