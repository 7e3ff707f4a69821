import type { InfluenceEdit } from './exactEdits.ts';

type Way = InfluenceEdit['kind'];

export const WAY_WORDS: Readonly<Record<Way, string>> = {
  set: 'A number is the weight that each point gets, from 0 to 1.',
  shift: 'A number is added to the weight of each point: 0.1, or −0.1.',
  scale: 'A number is what each point keeps, in percent: 100 leaves it.',
};

export const amountOf = (edit: InfluenceEdit): number => (edit.kind === 'set' ? edit.to : edit.by);

export const editOf = (kind: Way, amount: number): InfluenceEdit =>
  kind === 'set' ? { kind, to: amount } : { kind, by: amount };

export const amountWords = (kind: Way, amount: number): string => {
  if (kind === 'scale') return `${Math.round(amount * 100)}%`;
  return kind === 'shift' && amount > 0 ? `+${amount.toFixed(3)}` : amount.toFixed(3).replace('-', '−');
};

/** What was typed, as an edit; a sentence where it is none. */
export function readAmount(kind: Way, typed: string): InfluenceEdit | string {
  const plain = typed.trim().replace(',', '.').replace('−', '-').replace(/%$/, '');
  const value = plain === '' ? NaN : Number(plain);
  const [least, most] = { set: [0, 1], shift: [-1, 1], scale: [0, 1000] }[kind];
  if (Number.isFinite(value) && value >= least && value <= most)
    return editOf(kind, kind === 'scale' ? value / 100 : value);
  return {
    set: 'A weight is a number from 0 to 1.',
    shift: 'Weights are shifted by a number from −1 to 1.',
    scale: 'Weights are scaled to a percentage from 0 to 1000.',
  }[kind];
}

/** A drag along a bar by a share of its width, begun at a share of it, as an edit. */
export function draggedAmount(kind: Way, start: number, now: number): InfluenceEdit {
  const rounded = (value: number): number => Math.round(value * 200) / 200;
  const within = (value: number, least: number, most: number): number =>
    Math.min(most, Math.max(least, rounded(value)));
  if (kind === 'set') return editOf(kind, within(now, 0, 1));
  return editOf(kind, kind === 'shift' ? within(now - start, -1, 1) : within(1 + now - start, 0, 2));
}
