import type { BlemishKind } from '../document/blemish.ts';
import type { StrayKind } from '../document/stray.ts';
import type { Angles } from '../animation/motionRange.ts';
import type { BendFigures } from './bends/bendFigures.ts';
import type { BendOrder } from './bends/trial.ts';
import { grouped } from '../math/grouped.ts';

/** Why a patch of weight does not belong, in a sentence with its joint's name. */
export function strayWords(kind: StrayKind, joint: string, points: number): string {
  const many = `${grouped(points)} ${points === 1 ? 'point' : 'points'}`;
  switch (kind) {
    case 'root':
      return `${many} on ${joint}, which should not deform anything`;
    case 'across':
      return `${many} on the other side of the body follow ${joint}`.replace(
        /^1 point (.*) follow /,
        '1 point $1 follows ',
      );
    case 'far':
      return `${many} far from ${joint}, which rules nothing else`;
    case 'alone':
      return `${many} with ${joint}, unlike all around`;
    case 'tiny':
      return `${many} with leftovers of ${joint}, too small to see`;
    default:
      return `${many} with ${joint}, in a patch apart among another limb’s joints`;
  }
}

/** What is wrong with how weights run, in words. @param other the joint across a hard border */
export function blemishWords(kind: BlemishKind, points: number, amount: number, other: string): string {
  const many = `${grouped(points)} ${points === 1 ? 'point' : 'points'}`;
  return kind === 'noise'
    ? `weights jump from point to point over ${many}, by up to ${amount.toFixed(2)}`
    : `changes to ${other} within one edge, where other joints blend`;
}

const share = (x: number): string => `${Math.round(Math.abs(x) * 100)}%`;

/** Why the volume of a bend is not defined. */
export const NO_VOLUME_WORDS = {
  open: 'no volume: the surface is open there',
  flat: 'no volume: the surface is a sheet there',
} as const;

/** How far an edge is stretched: 1 is double its length. */
export const stretchWords = (stretch: number): string => `×${(1 + stretch).toFixed(1)}`;

/**
 * What a bend's figures mean, in short phrases: the stretch first where bends are ranked by it, then the worst first.
 *
 * @param where what the place of the most stretched edge is called
 */
export function figureWords(
  { stretch, squeeze, folded, volume, noVolume, crossings }: BendFigures,
  { order = 'damage', where }: { order?: BendOrder; where?: string } = {},
): string[] {
  const words: { readonly text: string; readonly weight: number }[] = [];
  if (volume !== undefined && Math.abs(volume) >= 0.02)
    words.push({
      text: `${volume < 0 ? 'loses' : 'gains'} ${share(volume)} of its volume`,
      weight: 3 * Math.abs(volume),
    });
  if (stretch >= 0.1)
    words.push({
      text: `stretched ${(1 + stretch).toFixed(1)} times${where ? ` at ${where}` : ''}`,
      weight: order === 'stretch' ? Infinity : stretch / 3,
    });
  if (squeeze <= -0.1)
    words.push({ text: `squeezed to ${share(1 / (1 - squeeze))}`, weight: Math.min(2, -squeeze / 3) });
  if (folded > 0)
    words.push({
      text: `${grouped(folded)} ${folded === 1 ? 'face' : 'faces'} folded`,
      weight: 0.2 + folded / 50,
    });
  if (crossings > 0)
    words.push({
      text: `runs through itself in ${crossings} ${crossings === 1 ? 'place' : 'places'}`,
      weight: 0.2 + crossings / 50,
    });
  words.sort((a, b) => b.weight - a.weight);
  const list = words.map(({ text }) => text);
  if (noVolume) list.push(NO_VOLUME_WORDS[noVolume]);
  return list.length > 0 ? list : ['holds its shape'];
}

/** Angles of a range in words: `120° bent, 20° twisted`. */
export function angleWords({ bend, side, twist }: Angles): string {
  const parts = [
    bend !== 0 && `${bend < 0 ? '−' : ''}${Math.abs(bend)}° bent`,
    side !== 0 && `${side < 0 ? '−' : ''}${Math.abs(side)}° sideways`,
    twist !== 0 && `${twist < 0 ? '−' : ''}${Math.abs(twist)}° twisted`,
  ].filter((one) => one !== false);
  return parts.length > 0 ? parts.join(', ') : 'at rest';
}
