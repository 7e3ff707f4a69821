import type { ListedLine } from './HistoryList.ts';

/** Work that was done without a longer pause, by one person. */
export interface Spell {
  readonly kind: 'spell';
  readonly author: string | null;
  /** The first and the last line of it, in time. */
  readonly from: string;
  readonly to: string;
  readonly count: number;
}

export type HistoryRow = Spell | { readonly kind: 'line'; readonly line: ListedLine };

const PAUSE_MS = 20 * 60 * 1000;

/** Lines, the last one first, with a row before each spell of work. */
export function rowsOfLines(lines: readonly ListedLine[]): HistoryRow[] {
  const rows: HistoryRow[] = [];
  for (let from = 0, to: number; from < lines.length; from = to) {
    for (to = from + 1; to < lines.length && isSameSpell(lines[to - 1], lines[to]); to++);
    const spell = lines.slice(from, to);
    rows.push({
      kind: 'spell',
      author: spell[0].author,
      from: spell[spell.length - 1].madeAt,
      to: spell[0].madeAt,
      count: spell.length,
    });
    rows.push(...spell.map((line) => ({ kind: 'line' as const, line })));
  }
  return rows;
}

const isSameSpell = (later: ListedLine, earlier: ListedLine): boolean =>
  later.author === earlier.author && Date.parse(later.madeAt) - Date.parse(earlier.madeAt) < PAUSE_MS;

/** When it was, in words: the day once, from when until when. */
export function spellWords({ from, to }: Pick<Spell, 'from' | 'to'>, today = new Date()): string {
  const [first, last] = [new Date(from), new Date(to)];
  const day = (date: Date): string =>
    date.toDateString() === today.toDateString()
      ? 'Today'
      : date.toLocaleDateString(undefined, { day: 'numeric', month: 'short', year: yearOf(date, today) });
  const time = (date: Date): string =>
    date.toLocaleTimeString(undefined, { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' });
  const begin = `${day(first)}, ${time(first)}`;
  if (time(first) === time(last) && day(first) === day(last)) return begin;
  return `${begin} to ${day(first) === day(last) ? '' : `${day(last)}, `}${time(last)}`;
}

const yearOf = (date: Date, today: Date): 'numeric' | undefined =>
  date.getFullYear() === today.getFullYear() ? undefined : 'numeric';
